"""A room's noise as noise reduction needs it: mean power and spread of each bin of short frames.

Source: Welch (1967).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy

from obsidian_wren.core.decibels import Samples, power_db

PROFILE_FRAME_S = 0.0213


@dataclass(frozen=True)
class NoiseProfile:
    """``mean_db`` per bin ``(bins,)``, dB re full scale squared of Hann frames that sum to the
    mean square, and ``spread_db``: the standard deviation of a bin's level from frame to frame
    (5.6 dB for steady Gaussian noise, more where it fluctuates)."""

    rate_hz: float
    frame_samples: int
    mean_db: Samples
    spread_db: Samples


def noise_profile(samples: Samples, *, rate_hz: float) -> NoiseProfile | None:
    """The profile of ``(n,)`` samples with half-overlapping Hann frames of about 21 ms; None
    under half a second."""
    length = 1 << round(np.log2(PROFILE_FRAME_S * rate_hz))
    if len(samples) < 0.5 * rate_hz:
        return None
    window = np.hanning(length + 1)[:-1]
    frames = np.lib.stride_tricks.sliding_window_view(samples, length)[:: length // 2]
    total = np.zeros(length // 2 + 1)
    logs = np.zeros(length // 2 + 1)
    squares = np.zeros(length // 2 + 1)
    scale = 2.0 / (length * float(window @ window))
    for first in range(0, len(frames), 256):
        bins = scipy.fft.rfft(frames[first : first + 256] * window, axis=1)
        power = np.maximum((bins.real**2 + bins.imag**2) * scale, 1e-24)
        level = power_db(power)
        total += power.sum(axis=0)
        logs += level.sum(axis=0)
        squares += np.square(level).sum(axis=0)
    count = len(frames)
    mean = logs / count
    spread = np.sqrt(np.maximum(squares / count - mean * mean, 0.0))
    return NoiseProfile(rate_hz, length, power_db(total / count), spread)
