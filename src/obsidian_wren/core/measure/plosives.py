"""Plosives: bursts of breath on the capsule, told from a low voice by how short, sudden and low
they are.

Source: practice: breath is short, sudden and under 150 Hz.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy

from obsidian_wren.core.chain.filters import filtered
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.levels import frame_levels_dbfs
from obsidian_wren.core.measure.speech import active_level, spoken_mask
from obsidian_wren.core.record_types import Level

BAND_HZ = 150.0
_BODY_HZ = (250.0, 2000.0)
_FRAME_S = 0.01
_OVER_BODY_DB = 6.0
_OVER_USUAL_DB = 8.0
_UNDER_ACTIVE_DB = 12.0
_RISE_DB, _RISE_FRAMES = 10.0, 4
_LONGEST_S = 0.2
_APART_S = 0.1


@dataclass(frozen=True)
class Plosive:
    """One burst: when it begins, how long it lasts, and the AES17 level of the band under 150 Hz
    while it does."""

    at_s: float
    length_s: float
    level_dbfs: Level


def low_levels_dbfs(samples: Samples, *, rate_hz: float) -> Samples:
    """AES17 levels under 150 Hz in 10 ms frames, ``(frames,)``."""
    sections = scipy.signal.butter(4, BAND_HZ, "lowpass", fs=rate_hz, output="sos")
    return np.maximum(
        frame_levels_dbfs(filtered(sections, samples), rate_hz=rate_hz, frame_s=_FRAME_S),
        -200.0,
    )


def find_plosives(samples: Samples, *, rate_hz: float) -> tuple[Plosive, ...]:
    """Bursts in ``(n,)`` samples of talk.

    A burst stands under 150 Hz 6 dB over the body of the voice and 8 dB over what this voice
    usually has there, rises by 10 dB within 40 ms, and is over in 200 ms.
    """
    active = active_level(samples, rate_hz=rate_hz).level_dbfs
    if not np.isfinite(active):
        return ()
    low = low_levels_dbfs(samples, rate_hz=rate_hz)
    sections = scipy.signal.butter(2, _BODY_HZ, "bandpass", fs=rate_hz, output="sos")
    body = np.maximum(
        frame_levels_dbfs(filtered(sections, samples), rate_hz=rate_hz, frame_s=_FRAME_S),
        -200.0,
    )
    spoken = spoken_mask(body, active)
    usual = float(np.percentile(low[spoken], 90)) if spoken.any() else -200.0
    hot = (
        (low > body + _OVER_BODY_DB)
        & (low > active - _UNDER_ACTIVE_DB)
        & (low > usual + _OVER_USUAL_DB)
    )
    change = np.diff(np.concatenate([[0], hot.astype(np.int8), [0]]))
    found: list[Plosive] = []
    for first, last in zip(np.flatnonzero(change == 1), np.flatnonzero(change == -1), strict=True):
        before = low[max(0, first - _RISE_FRAMES) : first]
        rises = not len(before) or low[first:last].max() - before.min() >= _RISE_DB
        short = (last - first) * _FRAME_S <= _LONGEST_S
        if rises and short and (not found or first * _FRAME_S - found[-1].at_s > _APART_S):
            found.append(
                Plosive(
                    float(first * _FRAME_S),
                    float((last - first) * _FRAME_S),
                    float(low[first:last].max()),
                )
            )
    return tuple(found)
