"""Traces that other processing leaves in a talk: a gate that closes between words, a band that ends
like a wall.

Source: practice: a room never gets quieter at once, and no voice ends within a third of an octave.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.levels import frame_levels_dbfs
from obsidian_wren.core.measure.spectrum import OCTAVE_RATIO, Band

_FRAME_S = 0.01
_LEVEL, _CLOSING = 6, (4, 10, 20)
_FLAT_DB, _LEVEL_DB, _STEP_DB = 1.5, 1.0, 10.0
_UNDER_ACTIVE_DB, _UNDER_ROOM_DB = 16.0, 5.0
_LEAST_PAUSE, _LEAST_STEPS, _SHARE = 35, 3, 0.3
_WALL_DB, _WALL_BELOW_HZ, _WALL_ABOVE_HZ = 35.0, 7000.0, 2000.0
_BANDS = 2


def has_gate_steps(
    talk: Samples, *, rate_hz: float, active_level_dbfs: float, floor_dbfs: float
) -> bool:
    """Whether the floor between the words of ``(n,)`` samples falls in steps, as a gate makes
    them: level, then at once far under ``floor_dbfs`` of the room, in three pauses and in a third
    of all."""
    levels = np.maximum(frame_levels_dbfs(talk, rate_hz=rate_hz, frame_s=_FRAME_S), -140.0)
    silent = levels < active_level_dbfs - _UNDER_ACTIVE_DB
    edges = np.flatnonzero(np.diff(np.concatenate([[0], silent.astype(int), [0]]))).reshape(-1, 2)
    pauses = [levels[a:b] for a, b in edges if b - a >= _LEAST_PAUSE]
    steps = sum(_steps_down(pause, floor_dbfs - _UNDER_ROOM_DB) for pause in pauses)
    return steps >= _LEAST_STEPS and steps >= _SHARE * len(pauses)


def _steps_down(pause: Samples, lowest_dbfs: float) -> bool:
    """Whether levels of a pause stand still, fall and stand still again, the words' own falls
    left out."""
    windows = np.lib.stride_tricks.sliding_window_view(pause, _LEVEL)
    mean = windows.mean(axis=1)
    # Reverberation falls; a floor does not.
    falling = windows[:, : _LEVEL // 2].mean(axis=1) - windows[:, _LEVEL // 2 :].mean(axis=1)
    still = (windows.std(axis=1) < _FLAT_DB) & (np.abs(falling) < _LEVEL_DB)
    for closing in _CLOSING:
        away = _LEVEL + closing
        before, after = slice(None, -away), slice(away, None)
        falls = mean[before] - mean[after] > _STEP_DB
        falls = falls & (mean[after] < lowest_dbfs)
        if len(falls) and np.any(still[before] & still[after] & falls):
            return True
    return False


def band_end_hz(third_octaves: Sequence[Band]) -> float | None:
    """Where a talk ends like a wall, Hz to a third of an octave; None where it thins out as voices
    do, or goes on to where little is left of one."""
    levels = np.array([max(band.level_dbfs, -200.0) for band in third_octaves])
    for at in range(len(levels) - _BANDS):
        centre = third_octaves[at].centre_hz
        if not _WALL_ABOVE_HZ <= centre <= _WALL_BELOW_HZ:
            continue
        if levels[at] - levels[at + _BANDS :].max() > _WALL_DB:
            return float(centre * OCTAVE_RATIO ** (1.0 / 6.0))
    return None
