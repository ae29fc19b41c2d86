"""A room's noise as noise reduction needs it: mean power and spread of each bin of short frames.

A room in use adds to it where it is as steady: a bin whose level wanders from frame to frame by
more than steady noise does holds what moves, which no profile fits.

Source: Welch (1967).
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt
import scipy

from obsidian_wren.core.decibels import Samples, power_db

PROFILE_FRAME_S = 0.0213
# A bin of steady Gaussian noise has a spread of 5.6 dB.
STEADY_SPREAD_DB = 7.5
# The mean of levels lies so far under the level of the mean (exponentially spread powers).
_MEAN_OF_LEVELS_DB = 2.51


@dataclass(frozen=True)
class NoiseProfile:
    """``mean_db`` per bin ``(bins,)``, dB re full scale squared of Hann frames that sum to the
    mean square, and ``spread_db``: the standard deviation of a bin's level from frame to frame
    (5.6 dB for steady Gaussian noise, more where it fluctuates). ``usual_db``: the power that a
    bin has most of the time, whatever bursts from it, dB as the mean."""

    rate_hz: float
    frame_samples: int
    mean_db: Samples
    spread_db: Samples
    usual_db: Samples

    @property
    def steady(self) -> npt.NDArray[np.bool_]:
        """Which bins hold nothing that moves ``(bins,)``."""
        return np.asarray(self.spread_db <= STEADY_SPREAD_DB)

    def beside(self, in_use: NoiseProfile) -> NoiseProfile:
        """This profile of a room at rest with what it has in use: where a bin is steady there, as
        loud as there if that is louder. The spread is that of the room in use."""
        mean = np.where(in_use.steady, np.maximum(self.mean_db, in_use.usual_db), self.mean_db)
        return replace(self, mean_db=mean, spread_db=np.maximum(self.spread_db, in_use.spread_db))


def noise_profile(samples: Samples, *, rate_hz: float) -> NoiseProfile | None:
    """The profile of ``(n,)`` samples with half-overlapping Hann frames of about 21 ms; None
    under half a second. Frames of digital silence are what was lost on the way, and no room."""
    length = 1 << round(np.log2(PROFILE_FRAME_S * rate_hz))
    if len(samples) < 0.5 * rate_hz:
        return None
    window = np.hanning(length + 1)[:-1]
    frames = np.lib.stride_tricks.sliding_window_view(samples, length)[:: length // 2]
    heard = frames.any(axis=1)
    if heard.any() and not heard.all():
        frames = frames[heard]
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
    whole = power_db(total / count)
    usual = np.minimum(whole, mean + _MEAN_OF_LEVELS_DB)
    return NoiseProfile(rate_hz, length, whole, spread, usual)
