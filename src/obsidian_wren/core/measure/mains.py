"""The mains followed through a take, by the line that tells it best.

Source: practice: the higher a line, the finer it tells the mains.
"""

from __future__ import annotations

import numpy as np
import scipy

from obsidian_wren.core.decibels import Samples, power_db
from obsidian_wren.core.rate import at_rate

_TRACK_RATE_HZ = 4_000
_TRACK_FRAME_S = 2.0
_TRACK_HOP_S = 0.5
_RISE_DB = 15.0
_EDGE_SHARE = 0.1


def decimated(samples: Samples, rate_hz: float) -> tuple[Samples, float]:
    """``(n,)`` samples at about 4 kHz, and that rate in Hz: enough for a dozen lines."""
    low_rate = rate_hz / max(1, int(rate_hz // _TRACK_RATE_HZ))
    return at_rate(samples, rate_hz, low_rate), low_rate


def follow_mains(low: Samples, rate_hz: float, *, reach: float) -> tuple[Samples, Samples] | None:
    """Times in s and mains frequencies in Hz of ``(n,)`` samples of :func:`decimated`, smoothed:
    ``(frames,)`` each; ``reach`` is the share by which the mains may wander. None where no line
    can be followed."""
    length, hop = round(_TRACK_FRAME_S * rate_hz), round(_TRACK_HOP_S * rate_hz)
    frames = np.lib.stride_tricks.sliding_window_view(low, length)[::hop]
    if len(frames) < 5:
        return None
    size = 8 * scipy.fft.next_fast_len(length)
    power = np.abs(scipy.fft.rfft(frames * np.hanning(length), size, axis=1)) ** 2
    bin_hz = rate_hz / size
    best: tuple[float, Samples] | None = None
    for mains in (50.0, 60.0):
        for number in (1, 2, 3, 4, 6):
            centre, near = number * mains, max(number * mains * reach, 2.0 * bin_hz)
            first, last = int((centre - near) / bin_hz), int((centre + near) / bin_hz) + 2
            around = power[:, int((centre - 8.0) / bin_hz) : int((centre + 8.0) / bin_hz)]
            window = power[:, first:last]
            top = window.argmax(axis=1)
            rise = float(
                np.median(
                    power_db(window.max(axis=1) / np.maximum(np.median(around, axis=1), 1e-30))
                )
            )
            edges = float(np.mean((top <= 1) | (top >= window.shape[1] - 2)))
            # The higher the line, the finer it tells the mains; the clearer, the less it jumps.
            if rise > _RISE_DB and edges < _EDGE_SHARE:
                score = rise + 6.0 * np.log2(number)
                if best is None or score > best[0]:
                    best = (score, (first + top) * bin_hz / number)
    if best is None:
        return None
    at = (np.arange(len(frames)) * hop + length / 2.0) / rate_hz
    smooth = np.polyfit(
        at, scipy.ndimage.median_filter(best[1], 3, mode="nearest"), min(4, len(at) // 3)
    )
    return np.asarray(at, dtype=np.float64), np.asarray(np.polyval(smooth, at), dtype=np.float64)
