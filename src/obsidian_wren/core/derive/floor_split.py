"""Where a noise floor comes from: takes at two gains, and one with the input muted, tell room,
preamp and converter apart.

With powers N in a band, gain G as a power ratio: resting N = (R + P)·G + C, muted N = P·G + C. Two
gains give C, muted gives P. The microphone's own noise is part of R; its data sheet parts it off
where it is known.

Source: Friis (1944): powers of a chain, told apart by takes at two gains.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from obsidian_wren.core.decibels import SILENCE_DB, Samples, power_db, power_from_db
from obsidian_wren.core.measure.spectrum import Band, exact_third_octave_hz
from obsidian_wren.core.measure.weighting import a_weighting_power
from obsidian_wren.core.record_types import Level
from obsidian_wren.core.wording import _

PartName = Literal[
    "room", "microphone", "preamp", "converter", "electronics", "before the converter"
]
_LEAST_GAIN_STEP_DB = 3.0
_AVERAGED_S = 10.0


@dataclass(frozen=True)
class FloorTake:
    """Third octaves of a take and the gain in dB that it was made at."""

    third_octaves: Sequence[Band]
    gain_db: float


@dataclass(frozen=True)
class FloorPart:
    """One part of the floor at the resting take's gain:

    AES17 level in dBFS, plain and A-weighted; minus infinity when none is left.
    """

    name: PartName
    level_dbfs: Level
    a_weighted_dbfs: Level


@dataclass(frozen=True)
class FloorSplit:
    """The parts, loudest first (A-weighted); which dominates and by how much; what that means;
    how the floor moves with gain."""

    gain_db: float
    parts: tuple[FloorPart, ...]
    dominant: PartName
    over_rest_db: float | None
    meaning: str
    missing: str | None

    def part(self, name: PartName) -> FloorPart | None:
        """A part by its name."""
        return next((part for part in self.parts if part.name == name), None)

    def at_gain(self, change_db: float) -> FloorSplit:
        """The parts as they will be after ``change_db`` more preamp gain: all move with it but
        the converter."""

        def moved(part: FloorPart) -> FloorPart:
            by = 0.0 if part.name == "converter" else change_db
            return FloorPart(part.name, part.level_dbfs + by, part.a_weighted_dbfs + by)

        return _ordered(
            self.gain_db + change_db, [moved(part) for part in self.parts], self.missing
        )

    def floor_after_dbfs(self, change_db: float, *, a_weighted: bool = False) -> float:
        """The whole floor after ``change_db`` more preamp gain: all moves with it but the
        converter."""
        total = 0.0
        for part in self.parts:
            level = part.a_weighted_dbfs if a_weighted else part.level_dbfs
            moved = 0.0 if part.name == "converter" else change_db
            total += power_from_db(level + moved) if np.isfinite(level) else 0.0
        return power_db(total)


def split_floor(
    rest: FloorTake,
    *,
    muted: FloorTake | None = None,
    other: FloorTake | None = None,
    microphone_dbfs_a: float | None = None,
) -> FloorSplit | None:
    """Split the floor of a resting take; None when neither a muted take nor one at another gain is
    there.

    ``microphone_dbfs_a`` is the A-weighted level that the microphone's self-noise must have at this
    gain, by its data sheet. Gains closer than 3 dB to the resting one cannot part the converter
    off.
    """
    if other is not None and abs(other.gain_db - rest.gain_db) < _LEAST_GAIN_STEP_DB:
        other = None
    if muted is None and other is None:
        return None
    hz = np.array([exact_third_octave_hz(band.centre_hz) for band in rest.third_octaves])
    powers = _powers(rest)
    gain = power_from_db(rest.gain_db)
    # The converter does not move with gain: two gains give it, and so does a muted input turned far
    # down.
    converter = None
    if other is not None:
        other_gain = power_from_db(other.gain_db)
        seen = (powers * other_gain - _powers(other) * gain) / (other_gain - gain)
        # Where the room is far louder, the difference is the scatter of two averages. A band's mean
        # scatters by 1/√(width·time).
        scatter = (
            np.hypot(powers * other_gain, _powers(other) * gain)
            / abs(other_gain - gain)
            / np.sqrt(_widths(hz) * _AVERAGED_S)
        )
        converter = np.minimum(_mostly_white(seen, scatter, _widths(hz)), powers)
    parts: list[tuple[PartName, Samples]] = []
    if converter is not None and muted is not None:
        preamp = np.maximum(_powers(muted) - converter, 0.0) * gain / power_from_db(muted.gain_db)
        preamp = np.minimum(preamp, powers - converter)
        parts += [
            ("room", powers - converter - preamp),
            ("preamp", preamp),
            ("converter", converter),
        ]
    elif converter is not None:
        parts += [("before the converter", powers - converter), ("converter", converter)]
    elif muted is not None:
        electronics = np.minimum(
            _powers(muted) * max(1.0, gain / power_from_db(muted.gain_db)), powers
        )
        parts += [("room", powers - electronics), ("electronics", electronics)]
    named = [_part(name, power, hz) for name, power in parts]
    if microphone_dbfs_a is not None:
        named = _part_off_microphone(named, microphone_dbfs_a)
    missing = None
    if muted is None:
        missing = _(
            "A take with the input muted or unplugged would separate the preamp from the room."
        )
    elif converter is None:
        missing = _(
            "A take at another gain, 10 dB away, would separate the converter from the preamp."
        )
    return _ordered(rest.gain_db, named, missing)


def _ordered(gain_db: float, parts: Sequence[FloorPart], missing: str | None) -> FloorSplit:
    named = sorted(parts, key=lambda part: -part.a_weighted_dbfs)
    rest_power = sum(
        power_from_db(part.a_weighted_dbfs)
        for part in named[1:]
        if np.isfinite(part.a_weighted_dbfs)
    )
    over = named[0].a_weighted_dbfs - power_db(rest_power) if rest_power > 0.0 else None
    return FloorSplit(gain_db, tuple(named), named[0].name, over, _meaning(named), missing)


def _widths(hz: Samples) -> Samples:
    return np.asarray(hz * (10.0**0.05 - 10.0**-0.05))


def _mostly_white(seen: Samples, scatter: Samples, widths: Samples) -> Samples:
    """A converter's noise is even over frequency: one density, weighted by how well each band
    tells it; bands that clearly hold more keep what they hold."""
    weights = 1.0 / np.maximum(scatter, 1e-30) ** 2
    density = max(float((weights * widths) @ seen / ((weights * widths) @ widths)), 0.0)
    even = density * widths
    return np.where(seen > even + 4.0 * scatter, seen, even)


def _powers(take: FloorTake) -> Samples:
    return np.array(
        [
            power_from_db(band.level_dbfs) if np.isfinite(band.level_dbfs) else 0.0
            for band in take.third_octaves
        ]
    )


def _part(name: PartName, powers: Samples, hz: Samples) -> FloorPart:
    # Levels of bands carry the AES17 offset already.
    return FloorPart(
        name, power_db(float(powers.sum())), power_db(float(powers @ a_weighting_power(hz)))
    )


def _part_off_microphone(parts: list[FloorPart], microphone_dbfs_a: float) -> list[FloorPart]:
    """Take the data sheet's self-noise out of what comes with the sound; never more than is
    there."""
    found = []
    for part in parts:
        if part.name not in ("room", "before the converter"):
            found.append(part)
            continue
        own = min(power_from_db(microphone_dbfs_a), power_from_db(part.a_weighted_dbfs))
        left = power_from_db(part.a_weighted_dbfs) - own
        share = left / max(power_from_db(part.a_weighted_dbfs), 1e-30)
        # White self-noise weighs 2 dB less with the A-curve than without.
        own_plain = min(own * power_from_db(2.0), power_from_db(part.level_dbfs))
        plain = (
            power_db(max(power_from_db(part.level_dbfs) - own_plain, 0.0))
            if share > 0
            else SILENCE_DB
        )
        found.append(FloorPart(part.name, plain, power_db(left)))
        found.append(FloorPart("microphone", power_db(own_plain), power_db(own)))
    return found


def _meaning(parts: Sequence[FloorPart]) -> str:
    match parts[0].name:
        case "converter":
            return _(
                "The converter's own noise dominates: turn the preamp up, which raises the"
                " voice but not this noise."
            )
        case "preamp":
            return _(
                "The preamp's own noise dominates: more preamp gain raises it with the voice."
                " Go closer, or use a booster."
            )
        case "microphone":
            return _(
                "The microphone's own noise dominates: only going closer or a quieter"
                " microphone raises the voice over it."
            )
        case "electronics":
            return _(
                "Preamp and converter dominate, not the room: a quieter room will make no"
                " difference."
            )
        case _:
            return _(
                "The room dominates: more preamp gain adds no audible noise, and only a quieter"
                " room or going closer helps."
            )
