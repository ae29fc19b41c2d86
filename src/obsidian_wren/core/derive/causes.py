"""What makes the floor, in plain words: each cause with its evidence, its remedy, and what would be
left if it went away.

What a cause adds is computed from the readings: the A-weighted power of its lines, its band or its
stretches, taken out of the A-weighted floor. What spoils a take altogether comes first, since no
other number holds beside it.

Source: ECMA-418-1 for tones; practice for the rest: a cause is worth what the floor falls by
without it.
"""

from __future__ import annotations

import numpy as np

from obsidian_wren.core.decibels import AES17_OFFSET_DB, power_db, power_from_db
from obsidian_wren.core.derive.cause import (
    WORTH_DB,
    Cause,
    Where,
    a_weighted_sum,
    level_without,
    lowers,
)
from obsidian_wren.core.derive.floor_parts import _PART_WORTH_DB, parts_of_floor
from obsidian_wren.core.derive.floor_split import FloorSplit
from obsidian_wren.core.derive.spoilers import _channel_causes, spoilers
from obsidian_wren.core.measure.buzz import Buzz
from obsidian_wren.core.measure.integrity import Channels
from obsidian_wren.core.measure.readings import QuietReading
from obsidian_wren.core.numerals import frequency
from obsidian_wren.core.wording import _

# From here on the room is not heard in pauses of a call; the A-weighted figure stands in where no
# voice was taken yet.
ENOUGH_VOICE_OVER_ROOM_DB = 30.0
ENOUGH_QUIET_DBFS_A = -62.0
_WANDERS_HZ = 0.02
_MOST_OF_IT_DB = 3.0
_UNDER_FIRST_HARMONIC_HZ = 60.0


def find_causes(
    rest: QuietReading,
    *,
    in_use: QuietReading | None = None,
    split: FloorSplit | None = None,
    voice_over_room_db: float | None = None,
    channels: Channels | None = None,
) -> tuple[Cause, ...]:
    """Causes in the order of mending: what spoils the take, then by how much each lowers the
    A-weighted floor.

    ``channels`` is what the channels of the resting take said of each other, where it had several.
    """
    enough = is_quiet_enough(rest, voice_over_room_db)
    found = [*spoilers(rest), *_channel_causes(channels), *_in_rest(rest, split, enough)]
    if in_use is not None:
        found += _in_use(rest, in_use, enough)
    return tuple(
        sorted(
            found,
            key=lambda cause: (not cause.spoils, not cause.complaint, -(cause.lowers_db or 0.0)),
        )
    )


def is_quiet_enough(rest: QuietReading, voice_over_room_db: float | None) -> bool:
    """Whether the floor as a whole needs no mending:

    30 dB under the voice, or −62 dBFS A-weighted while no voice is known.
    """
    if voice_over_room_db is not None:
        return voice_over_room_db >= ENOUGH_VOICE_OVER_ROOM_DB
    return rest.a_weighted_dbfs <= ENOUGH_QUIET_DBFS_A


def _in_rest(rest: QuietReading, split: FloorSplit | None, enough: bool) -> list[Cause]:
    total = rest.a_weighted_dbfs
    found: list[Cause] = []
    explained = 0.0

    def add(
        code: str,
        where: Where,
        title: str,
        evidence: str,
        remedy: str,
        level_a: float,
        *,
        complaint: bool,
    ) -> None:
        nonlocal explained
        explained += power_from_db(level_a) if np.isfinite(level_a) else 0.0
        found.append(
            Cause(
                code,
                where,
                "rest",
                title,
                evidence,
                remedy,
                lowers(total, level_a),
                False,
                complaint,
            )
        )

    mains = [comb for comb in rest.buzz if comb.mains]
    if rest.hum is not None:
        level = a_weighted_sum([(h.hz, h.level_dbfs) for h in rest.hum.harmonics])
        strongest = max(rest.hum.harmonics, key=lambda h: h.level_dbfs)
        drift = (
            _(" It wandered by {drift_hz:.2f} Hz during the take.", drift_hz=rest.hum.drift_hz)
            if rest.hum.drift_hz > _WANDERS_HZ
            else ""
        )
        add(
            "hum",
            "cable",
            _("Mains hum"),
            _(
                "{harmonics} lines of {mains_hz:.2f} Hz, {level_dbfs:.0f} dBFS together,"
                " strongest at {hz}.{drift}",
                harmonics=len(rest.hum.harmonics),
                mains_hz=rest.hum.mains_hz,
                level_dbfs=rest.hum.level_dbfs,
                hz=frequency(strongest.hz),
                drift=drift,
            ),
            _hum_remedy(strongest.hz, rest.hum.mains_hz),
            level,
            complaint=not mains and lowers(total, level) >= WORTH_DB,
        )
    for comb in rest.buzz:
        add(
            *_buzz_words(comb),
            comb.a_weighted_dbfs,
            complaint=lowers(total, comb.a_weighted_dbfs) >= WORTH_DB,
        )
    for tone in rest.tones:
        level = a_weighted_sum([(tone.hz, tone.level_dbfs)])
        add(
            "tone",
            "room",
            _("A steady tone at {hz}", hz=frequency(tone.hz)),
            _(
                "{level_dbfs:.0f} dBFS, {prominence_db:.0f} dB over the noise around it:"
                " prominent by the tone-to-noise ratio of ECMA-418-1.",
                level_dbfs=tone.level_dbfs,
                prominence_db=tone.prominence_db,
            ),
            _(
                "A screen, a charger or a fan whines: switch things off one by one and watch"
                " this line fall."
            ),
            level,
            complaint=lowers(total, level) >= WORTH_DB,
        )
    if rest.transients.count and rest.transients.a_weighted_without_dbfs is not None:
        without = rest.transients.a_weighted_without_dbfs
        level = power_db(max(power_from_db(total) - power_from_db(without), 1e-30))
        add(
            "clicks",
            "room",
            _("Clicks and knocks"),
            _(
                "{count} in {duration_s:.0f} s, up to {peak_dbfs:.0f} dBFS.",
                count=rest.transients.count,
                duration_s=rest.duration_s,
                peak_dbfs=rest.transients.peak_dbfs,
            ),
            _(
                "Leave keyboard and mouse alone while you record the room at rest. If nobody"
                " touched anything: a relay, a thermostat or a loose plug."
            ),
            level,
            complaint=lowers(total, level) >= WORTH_DB,
        )
    rumble = lowers(total, rest.rumble_a_weighted_dbfs)
    under_all = rest.rms_dbfs - rest.rumble_dbfs
    if not _is_hum_alone(rest):
        add(
            "rumble",
            "room",
            _("Rumble under 60 Hz"),
            _("{rumble_dbfs:.0f} dBFS, most of the noise floor.", rumble_dbfs=rest.rumble_dbfs)
            if under_all < _MOST_OF_IT_DB
            else _(
                "{rumble_dbfs:.0f} dBFS, {under:.0f} dB under the whole noise floor.",
                rumble_dbfs=rest.rumble_dbfs,
                under=under_all,
            ),
            _(
                "Traffic, footsteps, ventilation or the desk: use a shock mount or an arm; the"
                " high-pass removes the rest."
            ),
            rest.rumble_a_weighted_dbfs,
            complaint=under_all < 1.0 and (not enough or rumble >= WORTH_DB),
        )
    if rest.grid_bits is not None and rest.grid_bits < 16:
        step = 2.0 ** (1 - rest.grid_bits)
        # A quarter of a squared step, as rounding with dither leaves it; a twelfth without
        # (Lipshitz, Wannamaker & Vanderkooy 1992).
        level = min(power_db(step * step / 4.0) + AES17_OFFSET_DB - 2.0, total)
        add(
            "few-bits",
            "computer",
            _("Only {grid_bits} bits are in use", grid_bits=rest.grid_bits),
            _(
                "All samples lie on a grid of {grid_bits} bits; its rounding noise reaches"
                " {level:.0f} dBFS.",
                grid_bits=rest.grid_bits,
                level=level,
            ),
            _("Choose 24 bit, or at least 16, for this device in the sound settings."),
            level,
            complaint=True,
        )
    found += parts_of_floor(rest, split, explained, enough)
    return found


def _is_hum_alone(rest: QuietReading) -> bool:
    """Whether what lies under 60 Hz is just the first line of the hum, named already."""
    if rest.hum is None:
        return False
    first = [
        power_from_db(h.level_dbfs) for h in rest.hum.harmonics if h.hz < _UNDER_FIRST_HARMONIC_HZ
    ]
    return bool(first) and sum(first) > 0.5 * power_from_db(rest.rumble_dbfs)


def _hum_remedy(strongest_hz: float, mains_hz: float) -> str:
    if strongest_hz < 1.5 * mains_hz:
        return _(
            "The mains itself: keep the cable away from power leads and chargers, and run"
            " everything from one outlet."
        )
    return _(
        "Twice the mains frequency and up: a motor, a lamp or a power supply. Switch them off"
        " one by one and watch it fall."
    )


def _buzz_words(comb: Buzz) -> tuple[str, Where, str, str, str]:
    evidence = _(
        "{lines} lines every {spacing_hz:.1f} Hz from {hz} to {hz_2}, {level_dbfs:.0f} dBFS"
        " together.",
        lines=comb.lines,
        spacing_hz=comb.spacing_hz,
        hz=frequency(comb.low_hz),
        hz_2=frequency(comb.high_hz),
        level_dbfs=comb.level_dbfs,
    )
    if comb.mains:
        return (
            "dimmer",
            "cable",
            _("Buzz from a dimmer or a switching supply"),
            evidence,
            (
                _(
                    "Turn the dimmer fully up or off, unplug chargers and LED lamps one by one,"
                    " and keep the cable away from them."
                )
            ),
        )
    return (
        "buzz",
        "cable",
        _("Buzz every {hz}", hz=frequency(comb.spacing_hz)),
        evidence,
        (
            _(
                "Network gear, a phone or USB power: move them and their leads away from the"
                " cable and the capsule, or use another USB port."
            )
        ),
    )


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
                "in-use-clicks",
                "room",
                "in-use",
                _("Keys, mouse and knocks"),
                _(
                    "{per_minute:.0f} a minute, half of them over {which:.0f} dBFS.",
                    per_minute=clicks.per_minute,
                    which=clicks.levels_dbfs.p50 if clicks.levels_dbfs else clicks.peak_dbfs or 0,
                ),
                _(
                    "Use a shock mount or an arm, and a quieter keyboard, or turn the back of"
                    " the microphone to it."
                ),
                gain,
                False,
                not enough and gain >= _PART_WORTH_DB,
            )
        )
    risen = without - rest.a_weighted_dbfs
    if risen >= _PART_WORTH_DB:
        found.append(
            Cause(
                "in-use-fan",
                "room",
                "in-use",
                _("Something that runs while you work"),
                _(
                    "Between clicks, the room in use is {risen:.1f} dB louder than the room at"
                    " rest (A-weighted).",
                    risen=risen,
                ),
                _("A fan, a drive or a heater starts: run it slower, or move it farther away."),
                total - level_without(total, without, rest.a_weighted_dbfs),
                False,
                not enough,
            )
        )
    return found
