"""What a rig should give before anything is recorded, what takes told of it since, and what would
improve it most.

Levels stand at the capsule in dB SPL, since that is where voice and noise meet. Normal speech is 60
dB(A) at one metre (ISO 9921); the direct sound follows the inverse distance, the room's diffuse
sound does not change with it.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from obsidian_wren.core.decibels import power_db, power_from_db
from obsidian_wren.core.derive.capsule import (
    critical_distance_m,
    dbfs_of_spl,
    decay_time_s,
    facing_gain_db,
    facing_gains_db,
    proximity_boost_db,
    talk_at_capsule_db,
)
from obsidian_wren.core.derive.hardware import (
    Interface,
    Microphone,
    Placement,
    Room,
)
from obsidian_wren.core.derive.placement_advice import (
    Caution,
    Contribution,
    Improvement,
    improvements,
    noise_at_capsule,
    sum_dba,
    warnings,
)


@dataclass(frozen=True)
class HeardLevels:
    """What takes told at the capsule, dB(A): the floor at rest, the voice in normal talk. None
    where nothing was taken, or the figures of the path are missing."""

    floor_dba: float | None = None
    talk_dba: float | None = None


@dataclass(frozen=True)
class Outlook:
    """What to expect, or what was heard where a take has told it: ``floor_measured`` and
    ``talk_measured`` say which; ``expected_*`` is the prediction without takes.

    ``talk_dbfs`` and ``floor_dbfs`` are AES17 levels at ``gain_db``, None where data are missing.
    ``facing`` is what the microphone hears off its axis, degrees and dB ``(n, 2)``;
    ``off_axis_db`` what it loses of the mouth where that is.
    """

    talk_db_spl: float
    floor_dba: float
    expected_talk_db_spl: float
    expected_floor_dba: float
    talk_measured: bool
    floor_measured: bool
    contributions: tuple[Contribution, ...]
    voice_over_floor_db: float
    talk_dbfs: float | None
    floor_dbfs: float | None
    proximity_db: float
    direct_over_reverberant_db: float | None
    critical_distance_m: float | None
    decay_s: float | None
    facing: tuple[tuple[float, float], ...]
    off_axis_db: float
    improvements: tuple[Improvement, ...]
    warnings: tuple[Caution, ...]


def outlook(
    microphone: Microphone,
    interface: Interface,
    room: Room,
    placement: Placement,
    *,
    gain_db: float | None = None,
    phantom_on: bool | None = None,
    pad_on: bool = False,
    heard: HeardLevels | None = None,
) -> Outlook:
    """What this rig should give; ``heard`` takes the place of what was expected.

    The room counts as 32 dB(A), a quiet home, until a take has told it.
    """
    heard = heard or HeardLevels()
    expected_talk = talk_at_capsule_db(placement, microphone.pattern)
    expected_floor = sum_dba(noise_at_capsule(microphone, interface, replace(room, noise_dba=None)))
    contributions = noise_at_capsule(microphone, interface, room)
    floor = sum_dba(contributions)
    if heard.floor_dba is not None:
        floor = heard.floor_dba
        contributions = tuple(
            replace(part, level_dba=_left_dba(floor, contributions), assumed=False)
            if part.name == "room"
            else part
            for part in contributions
        )
    talk = expected_talk if heard.talk_dba is None else heard.talk_dba
    critical = critical_distance_m(room, microphone.pattern)
    metres = placement.distance_cm / 100.0
    return Outlook(
        talk_db_spl=talk,
        floor_dba=floor,
        expected_talk_db_spl=expected_talk,
        expected_floor_dba=expected_floor,
        talk_measured=heard.talk_dba is not None,
        floor_measured=heard.floor_dba is not None,
        contributions=contributions,
        voice_over_floor_db=talk - floor,
        talk_dbfs=dbfs_of_spl(talk, microphone, interface, gain_db, pad_on=pad_on),
        floor_dbfs=dbfs_of_spl(floor, microphone, interface, gain_db, pad_on=pad_on),
        proximity_db=proximity_boost_db(microphone.pattern, metres, 100.0),
        direct_over_reverberant_db=(
            None if critical is None else 20.0 * float(np.log10(critical / metres))
        ),
        critical_distance_m=critical,
        decay_s=decay_time_s(room),
        facing=facing_gains_db(microphone.pattern),
        off_axis_db=facing_gain_db(microphone.pattern, placement.angle_deg),
        improvements=improvements(microphone, interface, room, placement),
        warnings=tuple(warnings(microphone, interface, placement, phantom_on=phantom_on)),
    )


def _left_dba(floor_dba: float, contributions: tuple[Contribution, ...]) -> float:
    """What the room must add, once what is known of microphone and interface is taken off a floor
    that was heard; a hundredth of it where they alone would make it."""
    known = [
        power_from_db(part.level_dba)
        for part in contributions
        if part.name != "room" and part.level_dba is not None
    ]
    whole = power_from_db(floor_dba)
    return float(power_db(max(whole - sum(known), 0.01 * whole)))
