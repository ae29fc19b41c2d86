"""Level, floor and delay at each point of the path, from takes run through the real chain and
through a listener's mix. Every screen that shows one of them reads it here.

Source: AES17 for levels, IEC 61672-1 for the floor, ITU-T P.56 for what is speech.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from obsidian_wren.core.chain.engine import VoiceChain
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive.path_point import PathPoint
from obsidian_wren.core.derive.take_set import TakeSet, room_a_weighted_dbfs
from obsidian_wren.core.measure.levels import frame_levels_dbfs, peak_dbfs
from obsidian_wren.core.measure.speech import active_level, spoken_mask


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
    floor = None if quiet is None else room_a_weighted_dbfs(quiet, rate_hz=rate_hz)
    return PathPoint(low, high, peak, floor)


def point_behind(takes: TakeSet) -> PathPoint:
    """The levels of takes as they stand behind the stages that they passed, and what those took
    in time."""
    here = levels_here(takes.talk, None, rate_hz=takes.rate_hz)
    delay = VoiceChain(takes.passed, takes.rate_hz).delay_samples
    return replace(here, floor_dbfs_a=takes.rest_dbfs_a, delay_ms=delay * 1000.0 / takes.rate_hz)


def sound_pressure_db_spl(
    level_dbfs: float, *, gain_db: float, max_input_dbu: float, sensitivity_mv_pa: float
) -> float:
    """Sound pressure level at the capsule of an AES17 level after ``gain_db`` of preamp.

    ``max_input_dbu`` is the level that reads 0 dBFS at no gain; 0 dBu is 0.775 V, 94 dB SPL is 1
    Pa.
    """
    volts_db = level_dbfs + max_input_dbu - gain_db + 20.0 * np.log10(0.7745967)
    return float(volts_db - 20.0 * np.log10(sensitivity_mv_pa / 1000.0) + 94.0)
