"""The level diagram's numbers: voice, room and peak at each point of the path, from takes run
through the real chain.

Source: AES17 for levels, ITU-T P.56 for what is speech.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.levels import frame_levels_dbfs, peak_dbfs, rms_dbfs
from obsidian_wren.core.measure.speech import active_level, spoken_mask


@dataclass(frozen=True)
class PathPoint:
    """Levels at one point, dBFS:

    10th and 95th percentile of active speech, highest peak, RMS of the room; None where unknown.
    """

    voice_low_dbfs: float | None
    voice_high_dbfs: float | None
    peak_dbfs: float | None
    room_dbfs: float | None


def levels_here(talk: Samples | None, quiet: Samples | None, *, rate_hz: float) -> PathPoint:
    """The levels of ``(n,)`` takes as they stand."""
    low = high = peak = None
    if talk is not None:
        active = active_level(talk, rate_hz=rate_hz)
        frames = frame_levels_dbfs(talk, rate_hz=rate_hz)
        spoken = frames[spoken_mask(frames, active.level_dbfs)]
        if len(spoken):
            low, high = (float(v) for v in np.percentile(spoken, [10, 95]))
        peak = peak_dbfs(talk)
    return PathPoint(low, high, peak, None if quiet is None else rms_dbfs(quiet))


def shifted(point: PathPoint, by_db: float) -> PathPoint:
    """The same levels moved by a plain gain."""

    def moved(level: float | None) -> float | None:
        return None if level is None else level + by_db

    return PathPoint(
        moved(point.voice_low_dbfs),
        moved(point.voice_high_dbfs),
        moved(point.peak_dbfs),
        moved(point.room_dbfs),
    )


def sound_pressure_db_spl(
    level_dbfs: float, *, gain_db: float, max_input_dbu: float, sensitivity_mv_pa: float
) -> float:
    """Sound pressure level at the capsule of an AES17 level after ``gain_db`` of preamp.

    ``max_input_dbu`` is the level that reads 0 dBFS at no gain; 0 dBu is 0.775 V, 94 dB SPL is 1
    Pa.
    """
    volts_db = level_dbfs + max_input_dbu - gain_db + 20.0 * np.log10(0.7745967)
    return float(volts_db - 20.0 * np.log10(sensitivity_mv_pa / 1000.0) + 94.0)
