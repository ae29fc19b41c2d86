"""Speech without pitch: a whisper, known by its rhythm.

Source: Houtgast and Steeneken (1985): the envelope of speech moves at the rate of syllables, mostly
between 2 and 8 Hz; noise, hum and music do not.
"""

from __future__ import annotations

import numpy as np
import scipy

from obsidian_wren.core.chain.filters import filtered
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.levels import frame_levels_dbfs

_FRAME_S = 0.01
_BAND_HZ = (500.0, 6000.0)
_DEPTH_DB = 50.0
_LEAST_SPREAD_DB = 12.0
_SYLLABLES_HZ = (2.0, 9.0)
_SLOWEST_HZ, _FASTEST_HZ = 0.4, 30.0
_LEAST_SHARE = 0.38
_LEAST_ACTIVE, _MOST_ACTIVE = 0.25, 0.97
_LEAST_S = 3.0


def is_whispered(samples: Samples, *, rate_hz: float) -> bool:
    """Whether ``(n,)`` samples have the rhythm of speech though no pitch was found in them."""
    if len(samples) < _LEAST_S * rate_hz:
        return False
    high = min(_BAND_HZ[1], 0.45 * rate_hz)
    edges = [_BAND_HZ[0], high]
    sections = scipy.signal.butter(2, edges, "bandpass", fs=rate_hz, output="sos")
    band = filtered(sections, samples)
    level = frame_levels_dbfs(band, rate_hz=rate_hz, frame_s=_FRAME_S)
    level = np.maximum(level, level.max() - _DEPTH_DB)
    low, top = np.percentile(level, [10, 90])
    active = float(np.mean(level > top - _DEPTH_DB / 2.0))
    if top - low < _LEAST_SPREAD_DB or not _LEAST_ACTIVE <= active <= _MOST_ACTIVE:
        return False
    rate, power = scipy.signal.welch(level - level.mean(), fs=1.0 / _FRAME_S, nperseg=256)
    whole = power[(rate >= _SLOWEST_HZ) & (rate <= _FASTEST_HZ)].sum()
    syllables = power[(rate >= _SYLLABLES_HZ[0]) & (rate <= _SYLLABLES_HZ[1])].sum()
    return bool(syllables >= _LEAST_SHARE * whole)
