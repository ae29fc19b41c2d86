"""What makes the floor, in plain words: each cause with its evidence, its remedy, and what would be left if it went away.

What a cause adds is computed from the readings: the A-weighted power of its lines, its band or its stretches, taken out of the
A-weighted floor. What spoils a take altogether comes first, since no other number holds beside it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from obsidian_wren.core.decibels import AES17_OFFSET_DB, power_db, power_from_db
from obsidian_wren.core.derive.floor_split import FloorSplit
from obsidian_wren.core.derive.setting import hz
from obsidian_wren.core.measure.buzz import Buzz
from obsidian_wren.core.measure.integrity import Channels
from obsidian_wren.core.measure.readings import QuietReading
from obsidian_wren.core.measure.weighting import a_weighting_power

Where = Literal["room", "microphone", "cable", "preamp", "converter", "computer"]
# From here on the room is not heard in pauses of a call; the A-weighted figure stands in where no voice was taken yet.
ENOUGH_VOICE_OVER_ROOM_DB = 30.0
ENOUGH_QUIET_DBFS_A = -62.0
STEADY_SPREAD_DB = 3.0
_WORTH_DB = 0.3
_PART_WORTH_DB = 1.0
_DC_SHARE = 0.002
_EMPTY_DBFS, _EMPTY_UNDER_DB = -85.0, 12.0


@dataclass(frozen=True)
class Cause:
    """One cause. ``lowers_db``: how far the A-weighted floor of its take would fall without it; None where that is not its harm.

    ``spoils``: the take cannot be trusted until it is mended. ``complaint``: it deserves to be mended; otherwise it is just said.
    """

    code: str
    where: Where
    take: Literal["rest", "in-use", "talk"]
    title: str
    evidence: str
    remedy: str
    lowers_db: float | None
    spoils: bool
    complaint: bool


def find_causes(
    rest: QuietReading, *, in_use: QuietReading | None = None, split: FloorSplit | None = None, voice_over_room_db: float | None = None,
    channels: Channels | None = None,
) -> tuple[Cause, ...]:  # fmt: skip
    """Causes in the order of mending: what spoils the take, then by how much each lowers the A-weighted floor.

    ``channels`` is what the channels of the resting take said of each other, where it had several.
    """
    enough = is_quiet_enough(rest, voice_over_room_db)
    found = [*_spoilers(rest), *_channel_causes(channels), *_in_rest(rest, split, enough)]
    if in_use is not None:
        found += _in_use(rest, in_use, enough)
    return tuple(sorted(found, key=lambda cause: (not cause.spoils, not cause.complaint, -(cause.lowers_db or 0.0))))


def is_quiet_enough(rest: QuietReading, voice_over_room_db: float | None) -> bool:
    """Whether the floor as a whole needs no mending: 30 dB under the voice, or −62 dBFS A-weighted while no voice is known."""
    if voice_over_room_db is not None:
        return voice_over_room_db >= ENOUGH_VOICE_OVER_ROOM_DB
    return rest.a_weighted_dbfs <= ENOUGH_QUIET_DBFS_A


def lowers(total_dbfs: float, cause_dbfs: float) -> float:
    """How far a level falls when a part of its power goes, dB; at most 40."""
    left = power_from_db(total_dbfs) - power_from_db(cause_dbfs)
    return min(40.0, total_dbfs - power_db(left)) if left > power_from_db(total_dbfs - 40.0) else 40.0


def _a_weighted(lines: Sequence[tuple[float, float]]) -> float:
    """A-weighted level of lines of (Hz, dBFS)."""
    frequency = np.array([line[0] for line in lines])
    power = np.array([power_from_db(line[1]) for line in lines])
    return power_db(float(power @ a_weighting_power(frequency)))


def _spoilers(rest: QuietReading) -> list[Cause]:
    found = []
    gaps = rest.dropouts
    gated = (gaps.share > 0.02 and gaps.longest_s > 0.08) or rest.percentiles_dbfs.p90 - rest.percentiles_dbfs.p10 > 45.0
    if gated:
        found.append(
            Cause(
                "gated", "computer", "rest", "Something cuts the quiet away before it gets here",
                f"{gaps.share:.0%} of the take is exact silence, in stretches of up to {gaps.longest_s:.1f} s: no room and no converter does that.",
                "Switch off noise removal and voice activation in the sound settings and in the device’s own program, then take the room again.",
                None, True, True,
            )
        )  # fmt: skip
    elif gaps.count:
        found.append(
            Cause(
                "dropouts", "computer", "rest", "Pieces of sound are missing",
                f"{gaps.count} gaps, {1000 * gaps.total_s:.0f} ms together, the longest {1000 * gaps.longest_s:.0f} ms.",
                "Use another USB port without a hub, make the device’s buffer larger, and close what else records.",
                None, True, True,
            )
        )  # fmt: skip
    if rest.flat_tops.count:
        found.append(
            Cause(
                "clipped", "converter", "rest", "Even the quiet clips",
                f"{rest.flat_tops.count} flat tops at {rest.flat_tops.level_dbfs:.1f} dBFS.", "Turn the preamp down by 20 dB.", None, True, True,
            )
        )  # fmt: skip
    if abs(rest.dc_offset) > _DC_SHARE:
        level = power_db(rest.dc_offset**2) + AES17_OFFSET_DB
        found.append(
            Cause(
                "dc", "converter", "rest", "The wave does not stand on zero",
                f"A constant offset of {100 * rest.dc_offset:+.2f} % of full scale ({level:.0f} dBFS) lies under the sound.",
                "It eats headroom on one side and clicks at every cut: the high-pass takes it away; a driver update or another input may cure it.",
                None, True, True,
            )
        )  # fmt: skip
    return found


def _channel_causes(channels: Channels | None) -> list[Cause]:
    if channels is None:
        return []
    if channels.verdict == "inverted":
        return [
            Cause(
                "inverted", "cable", "rest", "One channel is the other upside down", "Both channels together cancel to nothing.",
                "Turn the polarity of one over at the interface, or use one channel only: a program that mixes to mono hears silence.",
                None, True, True,
            )
        ]  # fmt: skip
    if (
        channels.loudest != 1
        and channels.levels_dbfs[0] < _EMPTY_DBFS
        and channels.levels_dbfs[channels.loudest - 1] - channels.levels_dbfs[0] > _EMPTY_UNDER_DB
    ):
        return [
            Cause(
                "wrong-channel", "cable", "rest", f"The microphone is on channel {channels.loudest}",
                f"Channel 1 lies at {channels.levels_dbfs[0]:.0f} dBFS, channel {channels.loudest} at {channels.levels_dbfs[channels.loudest - 1]:.0f}.",
                f"Plug it into input 1, or choose channel {channels.loudest} in every program: most listen to the first.", None, True, True,
            )
        ]  # fmt: skip
    if channels.verdict == "same":
        return [
            Cause(
                "fake-stereo", "computer", "rest", "Both channels carry the same sound", "It is one microphone, sent twice.",
                "Nothing to mend; choose mono where a program asks.", None, False, False,
            )
        ]  # fmt: skip
    return []


def _in_rest(rest: QuietReading, split: FloorSplit | None, enough: bool) -> list[Cause]:
    total = rest.a_weighted_dbfs
    found: list[Cause] = []
    explained = 0.0

    def add(code: str, where: Where, title: str, evidence: str, remedy: str, level_a: float, *, complaint: bool) -> None:
        nonlocal explained
        explained += power_from_db(level_a) if np.isfinite(level_a) else 0.0
        found.append(Cause(code, where, "rest", title, evidence, remedy, lowers(total, level_a), False, complaint))

    mains = [comb for comb in rest.buzz if comb.mains]
    if rest.hum is not None:
        level = _a_weighted([(h.hz, h.level_dbfs) for h in rest.hum.harmonics])
        strongest = max(rest.hum.harmonics, key=lambda h: h.level_dbfs)
        drift = f" It wandered by {rest.hum.drift_hz:.2f} Hz meanwhile." if rest.hum.drift_hz > 0.02 else ""
        add(
            "hum", "cable", "Mains hum",
            f"{len(rest.hum.harmonics)} lines of {rest.hum.mains_hz:.2f} Hz, {rest.hum.level_dbfs:.0f} dBFS together, "
            f"strongest at {hz(strongest.hz)}.{drift}",
            _hum_remedy(strongest.hz, rest.hum.mains_hz), level,
            complaint=not mains and lowers(total, level) >= _WORTH_DB,
        )  # fmt: skip
    for comb in rest.buzz:
        add(*_buzz_words(comb), comb.a_weighted_dbfs, complaint=lowers(total, comb.a_weighted_dbfs) >= _WORTH_DB)
    for tone in rest.tones:
        level = _a_weighted([(tone.hz, tone.level_dbfs)])
        add(
            "tone", "room", f"A steady tone at {hz(tone.hz)}",
            f"{tone.level_dbfs:.0f} dBFS, {tone.prominence_db:.0f} dB over the noise beside it: prominent by the tone-to-noise ratio of ECMA-418-1.",
            "A screen, a charger or a fan whines: switch things off one at a time and watch this line fall.", level,
            complaint=lowers(total, level) >= _WORTH_DB,
        )  # fmt: skip
    if rest.transients.count and rest.transients.a_weighted_without_dbfs is not None:
        without = rest.transients.a_weighted_without_dbfs
        level = power_db(max(power_from_db(total) - power_from_db(without), 1e-30))
        add(
            "clicks", "room", "Clicks and knocks",
            f"{rest.transients.count} in {rest.duration_s:.0f} s, up to {rest.transients.peak_dbfs:.0f} dBFS.",
            "For the room at rest let keys and mouse be. If nobody touched anything: a relay, a thermostat or a loose plug.", level,
            complaint=lowers(total, level) >= _WORTH_DB,
        )  # fmt: skip
    rumble = lowers(total, rest.rumble_a_weighted_dbfs)
    under_all = rest.rms_dbfs - rest.rumble_dbfs
    if not _is_hum_alone(rest):
        add(
            "rumble", "room", "Rumble under 60 Hz",
            f"{rest.rumble_dbfs:.0f} dBFS, {'most of' if under_all < 3 else f'{under_all:.0f} dB under'} the whole floor.",
            "Traffic, footsteps, ventilation or the desk: a shock mount or an arm, and the high-pass takes the rest.",
            rest.rumble_a_weighted_dbfs, complaint=under_all < 1.0 and (not enough or rumble >= _WORTH_DB),
        )  # fmt: skip
    if rest.grid_bits is not None and rest.grid_bits < 16:
        step = 2.0 ** (1 - rest.grid_bits)
        # A quarter of a squared step, as rounding with dither leaves it; a twelfth without (Lipshitz, Wannamaker & Vanderkooy 1992).
        level = min(power_db(step * step / 4.0) + AES17_OFFSET_DB - 2.0, total)
        add(
            "few-bits", "computer", f"Only {rest.grid_bits} bits arrive",
            f"All samples sit on a grid of {rest.grid_bits} bits; rounding to it hisses at up to {level:.0f} dBFS.",
            "Choose 24 bit, or at least 16, for this device in the sound settings.", level, complaint=True,
        )  # fmt: skip
    found += _parts(rest, split, explained, enough)
    return found


def _is_hum_alone(rest: QuietReading) -> bool:
    """Whether what lies under 60 Hz is just the first line of the hum, named already."""
    if rest.hum is None:
        return False
    first = [power_from_db(h.level_dbfs) for h in rest.hum.harmonics if h.hz < 60.0]
    return bool(first) and sum(first) > 0.5 * power_from_db(rest.rumble_dbfs)


def _hum_remedy(strongest_hz: float, mains_hz: float) -> str:
    if strongest_hz < 1.5 * mains_hz:
        return "The mains itself: keep the cable away from power leads and chargers, and power everything from one outlet."
    return "Twice the mains and up: a motor, a lamp or a power supply. Switch them off one at a time and watch it fall."


def _buzz_words(comb: Buzz) -> tuple[str, Where, str, str, str]:
    evidence = f"{comb.lines} lines every {comb.spacing_hz:.1f} Hz from {hz(comb.low_hz)} to {hz(comb.high_hz)}, {comb.level_dbfs:.0f} dBFS together."
    if comb.mains:
        return (
            "dimmer", "cable", "Buzz of a dimmer or a switching supply", evidence,
            "Turn the dimmer fully up or off, unplug chargers and LED lamps one at a time, and lead the cable away from them.",
        )  # fmt: skip
    return (
        "buzz", "cable", f"Buzz every {hz(comb.spacing_hz)}", evidence,
        "Network gear, a phone or USB power: move them and their leads away from cable and capsule, or use another USB port.",
    )  # fmt: skip


def _parts(rest: QuietReading, split: FloorSplit | None, explained: float, enough: bool) -> list[Cause]:
    """The broadband rest, by where it arises."""
    total = rest.a_weighted_dbfs
    found: list[Cause] = []
    electronics = 0.0
    if split is not None:
        words: dict[str, tuple[Where, str, str]] = {
            "preamp": ("preamp", "Noise of the preamp", "Go closer, or put a booster or a quieter preamp before it: at this gain it hisses by itself."),
            "converter": ("converter", "Noise of the converter", "Turn the preamp up and whatever comes after the converter back to unity."),
            "microphone": ("microphone", "The microphone’s own noise", "Only going closer or a quieter microphone puts more voice over it."),
            "electronics": ("preamp", "Noise of preamp and converter", "A take at another gain tells which of the two it is."),
        }  # fmt: skip
        scale = total - _sum([part.a_weighted_dbfs for part in split.parts])
        for part in split.parts:
            if part.name not in words or not np.isfinite(part.a_weighted_dbfs):
                continue
            where, title, remedy = words[part.name]
            level = part.a_weighted_dbfs + scale
            electronics += power_from_db(level)
            gain = lowers(total, level)
            evidence = f"{part.level_dbfs:.0f} dBFS at {split.gain_db:g} dB gain, from the takes that tell the parts of the floor apart."
            found.append(Cause(part.name, where, "rest", title, evidence, remedy, gain, False, not enough and gain >= _PART_WORTH_DB))
    left = power_from_db(total) - explained - electronics
    if left > power_from_db(total - 20.0):
        level = power_db(left)
        title, remedy = _room_words(rest)
        gain = lowers(total, level)
        found.append(
            Cause(
                "room", "room", "rest", title, f"{level:.0f} dBFS A-weighted are left when all that has a name is taken away.", remedy,
                gain, False, not enough and gain >= _PART_WORTH_DB,
            )
        )  # fmt: skip
    return found


def _sum(levels: Sequence[float]) -> float:
    return power_db(sum(power_from_db(level) for level in levels if np.isfinite(level)))


def _room_words(rest: QuietReading) -> tuple[str, str]:
    """What the broadband rest sounds like, by where its A-weighted power lies."""
    weighted = [(b.centre_hz, power_from_db(b.level_dbfs) * float(a_weighting_power(np.array(b.centre_hz)))) for b in rest.third_octaves]
    whole = sum(power for _, power in weighted) or 1.0
    low = sum(power for centre, power in weighted if centre < 500) / whole
    high = sum(power for centre, power in weighted if centre > 3000) / whole
    if low > 0.5:
        return "The room hums along: heater, ventilation or traffic", "Switch off what blows or runs while you talk, or go closer."
    if high > 0.5:
        return (
            "Hiss: rain, a computer’s fan, or electronics",
            "Move the computer away from the microphone; a take with the input muted tells if it is electronics.",
        )
    return "The room’s own noise", "Close the window and what blows, put soft things behind the microphone, or go closer."


def _in_use(rest: QuietReading, used: QuietReading, enough: bool) -> list[Cause]:
    found: list[Cause] = []
    total = used.a_weighted_dbfs
    clicks = used.transients
    without = total
    if clicks.count and clicks.a_weighted_without_dbfs is not None:
        without = min(clicks.a_weighted_without_dbfs, total)
        gain = total - without
        found.append(
            Cause(
                "in-use-clicks", "room", "in-use", "Keys, mouse and knocks",
                f"{clicks.per_minute:.0f} a minute, half of them over {clicks.levels_dbfs.p50 if clicks.levels_dbfs else clicks.peak_dbfs or 0:.0f} dBFS.",
                "A shock mount or an arm keeps the desk out; a quieter keyboard, or the microphone’s back to it.", gain, False,
                not enough and gain >= _PART_WORTH_DB,
            )
        )  # fmt: skip
    risen = without - rest.a_weighted_dbfs
    if risen >= _PART_WORTH_DB:
        found.append(
            Cause(
                "in-use-fan", "room", "in-use", "What runs while you work",
                f"Between the clicks the room in use is {risen:.1f} dB over the room at rest (A-weighted).",
                "A fan, a drive or a heater comes on: let it run slower, or farther away.", total - _without(total, without, rest.a_weighted_dbfs),
                False, not enough,
            )
        )  # fmt: skip
    return found


def _without(total: float, between: float, at_rest: float) -> float:
    """The level in use when its steady part falls back to that at rest."""
    left = power_from_db(total) - power_from_db(between) + power_from_db(at_rest)
    return power_db(left)
