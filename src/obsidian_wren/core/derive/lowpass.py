"""Low-pass: over the end of the voice, so that only hiss is lost.

Source: practice: a quarter over the highest frequency at which the voice is above the noise.
"""

from __future__ import annotations

import numpy as np

from obsidian_wren.core.derive.stage_plan import Pins, StagePlan, StagePlanBuilder
from obsidian_wren.core.derive.take_set import TakeSet
from obsidian_wren.core.measure.voice_spectrum import POINT_HZ
from obsidian_wren.core.numerals import frequency
from obsidian_wren.core.wording import _

_OVER_NOISE_DB = 6.0
_RANGE_HZ = (8_000.0, 20_000.0)
_BEYOND = 1.25


def derive_lowpass(take_set: TakeSet, pins: Pins) -> StagePlan:
    """The rule of the low-pass: a quarter over the highest frequency at which the voice stands 6
    dB over the room."""
    answer = StagePlanBuilder("lowpass", pins)
    voice, noise = take_set.talk_reading.voice.points_db(), take_set.quiet_reading.noise.points_db()
    there = np.flatnonzero(voice > noise + _OVER_NOISE_DB)
    top = float(POINT_HZ[there[-1]]) if len(there) else _RANGE_HZ[1]
    corner = min(float(np.clip(_BEYOND * top, *_RANGE_HZ)), 0.48 * take_set.rate_hz)
    answer.set(
        "frequency_hz",
        round(corner / 250.0) * 250.0,
        _(
            "Your voice is above the noise floor up to {top}; the corner is a quarter higher.",
            top=frequency(top),
        ),
    )
    answer.set("order", 2.0, _("A gentle slope, so the filter does not ring."))
    on = corner < 0.47 * take_set.rate_hz
    return answer.plan(
        on,
        (
            _("Over {hz} there is only hiss.", hz=frequency(corner))
            if on
            else _("The sound itself ends where a low-pass would begin.")
        ),
    )
