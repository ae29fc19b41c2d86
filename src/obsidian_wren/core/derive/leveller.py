"""The leveller: on when phrases differ by more than the aim allows; it waits in pauses.

Source: EBU Tech 3342 for loudness range; practice for the time over which a hand would ride.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.derive.stage_plan import Pins, StagePlan, StagePlanBuilder
from obsidian_wren.core.derive.take_set import TakeSet
from obsidian_wren.core.measure.levels import frame_levels_dbfs
from obsidian_wren.core.measure.speech import spoken_mask
from obsidian_wren.core.record_types import Levels
from obsidian_wren.core.wording import _

_MOST_DB = 9.0
_SPEED_DB_PER_S = 2.5


@dataclass(frozen=True)
class LevelEvidence:
    """Loudness range of the take in LU (None when too short), the aim, and the level of each
    phrase-long stretch of speech, dBFS."""

    range_lu: float | None
    aim_lu: float
    stretches_dbfs: Levels


def derive_leveller(take_set: TakeSet, pins: Pins) -> StagePlan:
    """The rule of the leveller, from the loudness range of the toned voice."""
    answer = StagePlanBuilder("leveller", pins)
    aims = take_set.preferences.aims
    found = take_set.range_lu
    active = take_set.active_dbfs
    stretches = frame_levels_dbfs(take_set.talk, rate_hz=take_set.rate_hz, frame_s=0.8)
    stretches = stretches[spoken_mask(stretches, active)]
    target = answer.set(
        "target_dbfs",
        active if np.isfinite(active) else -30.0,
        _("Your own mean level while speaking, so on average it changes nothing."),
    )
    excess = 0.0 if found is None else found - aims.range_lu
    answer.set(
        "range_db",
        float(np.clip(excess / 2.0 + 1.0, 2.0, _MOST_DB)),
        _("Half of the excess range of your phrases, up and down."),
    )
    answer.set(
        "speed_db_per_s",
        _SPEED_DB_PER_S,
        _("Slow enough not to lift single syllables."),
    )
    frames = frame_levels_dbfs(take_set.room, rate_hz=take_set.rate_hz, frame_s=0.03)
    room = float(np.percentile(frames, 99)) if len(frames) else -80.0
    soft = float(np.percentile(stretches, 5)) - 10.0 if len(stretches) else target - 20.0
    guard = (room + soft) / 2.0 if soft > room else room
    answer.set(
        "guard_dbfs",
        guard,
        _(
            "Between your room at its loudest, {room:.0f} dBFS, and your softest words: it"
            " holds while only the room is heard.",
            room=room,
        ),
    )
    on = excess > 0.0
    if found is None:
        text = _("The take is too short to show how far your phrases differ.")
    elif on:
        text = _(
            "Your phrases range over {found:.1f} LU; the target is at most {range_lu:.0f}.",
            found=found,
            range_lu=aims.range_lu,
        )
    else:
        text = _(
            "Your phrases range over {found:.1f} LU, within the target of {range_lu:.0f}: a"
            " compressor is enough.",
            found=found,
            range_lu=aims.range_lu,
        )
    return answer.plan(on, text, evidence=LevelEvidence(found, aims.range_lu, stretches))
