"""What a rig should give before anything is recorded, and what would improve it most.

Levels stand at the capsule in dB SPL, since that is where voice and noise meet. Normal speech is 60
dB(A) at one metre (ISO 9921); the direct sound follows the inverse distance, the room's diffuse
sound does not change with it.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.derive.capsule import (
    critical_distance_m,
    dbfs_of_spl,
    decay_time_s,
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
class Outlook:
    """What to expect.

    ``talk_dbfs`` and ``floor_dbfs`` are AES17 levels at ``gain_db``, None where data are missing.
    """

    talk_db_spl: float
    floor_dba: float
    contributions: tuple[Contribution, ...]
    voice_over_floor_db: float
    talk_dbfs: float | None
    floor_dbfs: float | None
    proximity_db: float
    direct_over_reverberant_db: float | None
    critical_distance_m: float | None
    decay_s: float | None
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
) -> Outlook:
    """What this rig should give.

    The room counts as 32 dB(A), a quiet home, until a take has told it.
    """
    contributions = noise_at_capsule(microphone, interface, room)
    talk = talk_at_capsule_db(placement, microphone.pattern)
    floor = sum_dba(contributions)
    critical = critical_distance_m(room, microphone.pattern)
    metres = placement.distance_cm / 100.0
    return Outlook(
        talk_db_spl=talk,
        floor_dba=floor,
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
        improvements=improvements(microphone, interface, room, placement),
        warnings=tuple(warnings(microphone, interface, placement, phantom_on=phantom_on)),
    )
