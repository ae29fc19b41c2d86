"""The ring of a room as speech tells it: from how fast a voice falls, an estimate and called one.

Speech stops at once many times a second. A sudden end falls by what the direct sound has over the
reverberation, then along the decay of the room, and no fall is faster than the room lets it be.

Source: Wen, Habets and Naylor (2008), "Blind estimation of reverberation time based on the
distribution of signal decay rates", for the decay; the direct sound's share by measurement.
"""

from __future__ import annotations

import numpy as np
import scipy

from obsidian_wren.core.chain.filters import filtered
from obsidian_wren.core.decibels import Samples, power_db
from obsidian_wren.core.measure.decay import Reverb

_HOP_S, _FALL_S = 0.005, 0.05
_LOUD_DB, _LEAST_LOUD_S = 8.0, 2.0
# With more direct sound than this the falls are those of the words themselves.
_TELLS_DECAY_DB = 6.0
# Under a direct share of this a fall tells nothing more.
_FARTHEST_DB = 4.0
# Nearer to the noise than this a fall ends there, and nothing is told of the room.
_OVER_NOISE_DB = 10.0
# Straight falls of so long in three bands; the fast ones are the room's alone.
_BANDS_HZ = ((350.0, 1000.0), (1000.0, 2200.0), (2200.0, 5000.0))
_STRAIGHT_S, _STRAIGHT_DB, _FAST_PERCENT = 0.16, 1.5, 90.0
_END_OVER_NOISE_DB, _START_UNDER_LOUD_DB, _LEAST_FALLS = 8.0, 25.0, 20
_FEWEST_BANDS = 2
# In noise that moves a fall is one of the voice only where it begins so far over the floor of its
# moment, and ends over it.
_MOMENT_S, _FLOOR_PERCENT, _START_OVER_FLOOR_DB = 3.0, 5.0, 25.0
# Words end slower than a dry room and hide in a live one: from the slope of the fast falls to the
# decay, of six talkers in fifteen rooms each (94 % within 20 %).
_POWER, _SCALE = 1.31, 1.23
_LEAST_ERROR = 0.12


def ring_of_speech(samples: Samples, *, rate_hz: float) -> Reverb | None:
    """A blind estimate from ``(n,)`` samples of speech; None where too little of it is loud or all
    of it is near the noise.

    What is left 50 ms after a sudden end is the room. Of the fastest twentieth of all falls, what
    the second 50 ms add is the decay, and the rest is the direct sound's share. Where that is large
    the fall ends in the voice itself, so the decay is not told.
    """
    level = _levels_db(samples, 350.0, 4000.0, rate_hz)
    ahead = round(_FALL_S / _HOP_S)
    if len(level) <= 2 * ahead:
        return None
    speech = level > np.percentile(level, 95.0) - 20.0
    loud = level > power_db(float(np.mean(10.0 ** (level[speech] / 10.0)))) - _LOUD_DB
    loud[-2 * ahead :] = False
    at = np.flatnonzero(loud)
    if len(at) * _HOP_S < _LEAST_LOUD_S:
        return None
    if float(np.median(level[at]) - np.percentile(level, 5.0)) < _OVER_NOISE_DB:
        return None
    first, both = (
        float(np.percentile(level[at] - level[at + by], 95.0)) for by in (ahead, 2 * ahead)
    )
    added = max(both - first, 0.1)
    direct = 10.0 ** (max(first - added, 0.01) / 10.0) - 1.0
    over_db = float(np.clip(power_db(max(direct, 1e-3)), -_FARTHEST_DB, 30.0))
    decay_s, error_s = None, None
    if over_db < _TELLS_DECAY_DB:
        decay_s, error_s = _decay_of_falls(samples, rate_hz) or (None, None)
    return Reverb((), decay_s, -over_db, "speech ends", first, decay_error_s=error_s)


def _levels_db(samples: Samples, low_hz: float, high_hz: float, rate_hz: float) -> Samples:
    """Levels of a band every 5 ms, over 15 ms, dB ``(frames,)``."""
    return np.asarray(power_db(band_powers(samples, low_hz, high_hz, rate_hz) + 1e-20))


def band_powers(samples: Samples, low_hz: float, high_hz: float, rate_hz: float) -> Samples:
    """Mean squares of a band of ``(n,)`` samples every 5 ms, over 15 ms ``(frames,)``."""
    edges = [low_hz, min(high_hz, 0.45 * rate_hz)]
    sections = scipy.signal.butter(2, edges, "bandpass", fs=rate_hz, output="sos")
    band = filtered(sections, samples)
    hop = round(_HOP_S * rate_hz)
    power = np.mean(band[: len(band) // hop * hop].reshape(-1, hop) ** 2, axis=1)
    return np.convolve(power, np.ones(3) / 3.0, "same") if len(power) else power


def _decay_of_falls(samples: Samples, rate_hz: float) -> tuple[float, float] | None:
    """Decay time in s and its standard error, from the fast ones of all straight falls; None where
    a band holds too few of them: what falls in some only is no voice."""
    bands = [band for band in _BANDS_HZ if band[1] < 0.5 * rate_hz]
    found = [_fast_slope(_levels_db(samples, low, high, rate_hz)) for low, high in bands]
    slopes = [slope for slope in found if slope is not None]
    if len(slopes) < max(len(bands), _FEWEST_BANDS):
        return None
    decays = _SCALE * (60.0 * _HOP_S / np.array(slopes)) ** _POWER
    decay = float(np.median(decays))
    spread = float(np.std(decays, ddof=1)) / np.sqrt(len(decays))
    return decay, max(spread, _LEAST_ERROR * decay)


def _fast_slope(level: Samples) -> float | None:
    """The slope that a tenth of all straight falls pass, dB a frame."""
    width = round(_STRAIGHT_S / _HOP_S)
    if len(level) < 2 * width:
        return None
    runs = np.lib.stride_tricks.sliding_window_view(level, width)
    at = np.arange(width) - (width - 1) / 2.0
    slopes = -(runs @ at) / float(at @ at)
    away = np.std(runs - runs.mean(axis=1, keepdims=True) + slopes[:, None] * at, axis=1)
    size = round(_MOMENT_S / _HOP_S)
    floor = scipy.ndimage.percentile_filter(level, _FLOOR_PERCENT, size=size)
    straight = (
        (slopes > 0.0)
        & (away < _STRAIGHT_DB)
        & (runs[:, -1] > floor[width - 1 :] + _END_OVER_NOISE_DB)
        & (runs[:, 0] > floor[: len(runs)] + _START_OVER_FLOOR_DB)
        & (runs[:, 0] > np.percentile(level, 95.0) - _START_UNDER_LOUD_DB)
    )
    if np.count_nonzero(straight) < _LEAST_FALLS:
        return None
    return float(np.percentile(slopes[straight], _FAST_PERCENT))
