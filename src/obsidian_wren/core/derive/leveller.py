"""The leveller: on when phrases differ by more than the aim allows; it waits in pauses."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive.ground import Ground
from obsidian_wren.core.derive.stage_plan import Answer, Pins, StagePlan
from obsidian_wren.core.measure.levels import frame_levels_dbfs

_MOST_DB = 9.0
_SPEED_DB_PER_S = 2.5


@dataclass(frozen=True)
class LevelEvidence:
    """Loudness range of the take in LU (None when too short), the aim, and the level of each phrase-long stretch of speech, dBFS."""

    range_lu: float | None
    aim_lu: float
    stretches_dbfs: Samples


def derive_leveller(ground: Ground, pins: Pins) -> StagePlan:
    """The rule of the leveller, from the loudness range of the toned voice."""
    answer = Answer("leveller", pins)
    aims = ground.wishes.aims
    found = ground.range_lu
    active = ground.active_dbfs
    stretches = frame_levels_dbfs(ground.talk, rate_hz=ground.rate_hz, frame_s=0.8)
    stretches = stretches[stretches > active - 15.9]
    target = answer.set(
        "target_dbfs",
        active if np.isfinite(active) else -30.0,
        "Your own mean level while speaking: it neither lifts nor lowers on the whole.",
    )
    excess = 0.0 if found is None else found - aims.range_lu
    answer.set("range_db", float(np.clip(excess / 2.0 + 1.0, 2.0, _MOST_DB)), "Half of what your phrases differ too much, to either side.")
    answer.set("speed_db_per_s", _SPEED_DB_PER_S, "Slow enough that no syllable is lifted by itself.")
    frames = frame_levels_dbfs(ground.room, rate_hz=ground.rate_hz, frame_s=0.03)
    room = float(np.percentile(frames, 99)) if len(frames) else -80.0
    soft = float(np.percentile(stretches, 5)) - 10.0 if len(stretches) else target - 20.0
    guard = (room + soft) / 2.0 if soft > room else room
    answer.set(
        "guard_dbfs",
        guard,
        f"Between your room, {room:.0f} dBFS at its loudest, and your softest words: it waits while only the room is heard.",
    )
    on = excess > 0.0
    if found is None:
        text = "The take is too short to tell how far your phrases differ."
    elif on:
        text = f"Your phrases range over {found:.1f} LU; the aim is at most {aims.range_lu:.0f}."
    else:
        text = f"Your phrases range over {found:.1f} LU, inside the aim of {aims.range_lu:.0f}: a compressor is enough."
    return answer.plan(on, text, evidence=LevelEvidence(found, aims.range_lu, stretches))
