"""Whether what a phone recorded is the voice as it was, or worked on: a band that ends early, a
gate between words, a gain that rides.

A gain that rides makes loud and soft words alike, beside the same voice through the microphone of
the rig, and rises while nobody talks, and the room with it; a room by itself stands still there,
and reverberation falls.

Source: practice; momentary levels over 400 ms as in ITU-R BS.1770; voice paths of telephones end at
3.4 or 7 kHz (ITU-T G.712, G.722).
"""

from __future__ import annotations

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.faults import BadTake
from obsidian_wren.core.measure.integrity import find_dropouts
from obsidian_wren.core.measure.levels import frame_levels_dbfs
from obsidian_wren.core.measure.readings import TalkReading
from obsidian_wren.core.measure.speech import runs
from obsidian_wren.core.measure.traces import band_end_hz, has_gate_steps
from obsidian_wren.core.wording import _

_FRAME_S = 0.01
_UNDER_ACTIVE_DB = 16.0
# Reverberation has ended by the first; a release is well under way by the second.
_AFTER_WORD_S, _LOOK_S, _LEAST_PAUSE_S = 0.2, 0.1, 0.4
_LEAST_PAUSES, _RISES_DB = 4, 2.5
# How much less loud and soft words differ than through the microphone of the rig.
_SHARE_LEFT, _LEAST_LOST_DB = 0.65, 1.5
_MOMENT_S, _GATE_DB = 0.4, 20.0
_SILENT_SHARE, _SILENT_S, _SILENT_DBFS = 0.02, 0.08, -110.0


def require_unprocessed(
    samples: Samples,
    reading: TalkReading,
    passage: Samples | None = None,
    *,
    passage_hz: float | None = None,
) -> None:
    """Raise BadTake where a phone's recording ``(n,)`` was worked on, with what was found.
    ``passage`` ``(m,)`` is the same voice through the rig."""
    end_hz = band_end_hz(reading.third_octaves)
    if end_hz is not None:
        raise BadTake(
            "phone-band",
            _(
                "The phone's recording ends at about {end_khz:g} kHz, as a call does. Record with"
                " the phone's own recorder, at its highest quality, not over a call or a headset.",
                end_khz=round(end_hz / 1000.0, 1),
            ),
        )
    rate_hz = reading.rate_hz
    gaps = find_dropouts(samples, rate_hz=rate_hz)
    levels = np.maximum(frame_levels_dbfs(samples, rate_hz=rate_hz, frame_s=_FRAME_S), -140.0)
    pauses = runs(levels < reading.active_level_dbfs - _UNDER_ACTIVE_DB)
    held = [levels[a:b] for a, b in pauses if (b - a) * _FRAME_S >= _LEAST_PAUSE_S]
    silent = gaps.share > _SILENT_SHARE and gaps.longest_s > _SILENT_S
    floor = float(np.median(np.concatenate(held))) if held else -140.0
    if silent or has_gate_steps(
        samples,
        rate_hz=rate_hz,
        active_level_dbfs=reading.active_level_dbfs,
        floor_dbfs=_before_it_falls(held, floor),
    ):
        raise BadTake(
            "phone-gate",
            _(
                "The phone cuts the room out between words, so it works on the voice too. Switch"
                " off noise removal in its recorder, or use another recorder, and record again."
            ),
        )
    rises = _rises_db(held)
    rides = len(rises) >= _LEAST_PAUSES and float(np.median(rises)) > _RISES_DB
    if passage is not None:
        here = _moves_db(samples, rate_hz)
        there = _moves_db(passage, passage_hz or rate_hz)
        rides = rides or (here < _SHARE_LEFT * there and there - here > _LEAST_LOST_DB)
    if rides:
        raise BadTake(
            "phone-gain",
            _(
                "The phone turns its gain up and down by itself, so its levels are not yours."
                " Switch off automatic gain in its recorder, or use another recorder, and record"
                " again."
            ),
        )


def _before_it_falls(held: list[Samples], floor: float) -> float:
    """The level of pauses before anything closes, dBFS."""
    if not held:
        return floor
    early = round(_AFTER_WORD_S / _FRAME_S)
    return max(floor, float(np.median([np.median(pause[:early]) for pause in held])))


def _moves_db(samples: Samples, rate_hz: float) -> float:
    """How far the moments of speech differ in level, dB: the upper half of them, which a room does
    not reach."""
    levels = frame_levels_dbfs(samples, rate_hz=rate_hz, frame_s=_MOMENT_S)
    spoken = levels[levels > levels.max() - _GATE_DB]
    return float(np.percentile(spoken, 95.0) - np.percentile(spoken, 40.0))


def _rises_db(held: list[Samples]) -> Samples:
    """How far each pause rises from its beginning to its end, dB."""
    first, look = round(_AFTER_WORD_S / _FRAME_S), round(_LOOK_S / _FRAME_S)
    found = []
    for pause in held:
        early, late = pause[first : first + look], pause[-look - 2 : -2]
        if float(early.mean()) > _SILENT_DBFS:
            found.append(float(late.mean() - early.mean()))
    return np.array(found)
