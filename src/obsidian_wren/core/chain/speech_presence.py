"""Whether a bin of a short-time spectrum holds speech, and the gain that follows from it.

The a-posteriori ratio (power over the noise that is expected) is averaged twice: over few bins, to
follow the harmonics of a voice, and over a band as wide as the ear's own, over the frames before
and the one that comes next. The wide average tells whether speech is present at all: noise alone
keeps it within its standard deviation around one. Where the voice is weak beside the noise the
a-priori ratio leans on the wide average, where it is strong on the narrow one; so single bins of
noise do not flicker and a word's beginning is not late.

Source: Cohen and Berdugo (2001), "Speech enhancement for non-stationary noise environments", for
the gain under uncertain presence and the averages over neighbours; Cohen (2005), "Relaxed
statistical model for speech enhancement and a priori SNR estimation", for the frame ahead; the
weights by measurement.
"""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt
from numba import njit

from obsidian_wren.core.chain.short_time import Spectra
from obsidian_wren.core.chain.spectral_gain import log_spectral_gain
from obsidian_wren.core.decibels import Samples

Places = npt.NDArray[np.int64]
# Half widths: so many bins at least, and this share of the frequency.
_NARROW_BINS, _NARROW_SHARE = 1, 0.03
_WIDE_BINS, _WIDE_SHARE = 6, 0.3
# How much of the last frame's average stays, for frames 4 ms apart, and what the next one weighs.
_NARROW_STAYS = 0.3
_WIDE_STAYS = 0.6
_AHEAD = 0.3
# What is taken off an average before the rest counts as speech: more than the noise itself, since
# averages of noise stand over it half of the time.
_NARROW_LESS = 2.0
_WIDE_LESS = 1.28
_LEAST_PRIOR = 10.0**-2.5
# A wide ratio of this much is clear speech: then nothing needs to be taken off.
_CLEAR = 3.0
_CLEAR_LIFT = 2.0
_LEANS = 5.0
_STEEP = 0.6
# Rows of the memory: of the held frame its ratio and averages, the averages over time, and how far
# the noise has moved from what was expected.
_RATIO, _NARROW, _WIDE, _NARROW_MEAN, _WIDE_MEAN, _MOVED, ROWS = 0, 1, 2, 3, 4, 5, 6


class Presence:
    """The averages that tell speech from noise, and the frame that waits for the next one."""

    def __init__(self, per_noise: Samples) -> None:
        bins = len(per_noise)
        self._per_noise = per_noise
        self._memory = np.zeros((ROWS, bins))
        self._memory[_MOVED] = 1.0
        self._held = np.zeros(bins, dtype=complex)
        self._narrow = _window(bins, _NARROW_BINS, _NARROW_SHARE)
        self._wide = _window(bins, _WIDE_BINS, _WIDE_SHARE)
        self._per_deviation = np.sqrt((self._wide[1] - self._wide[0]) / 2.0)

    @property
    def state(self) -> tuple[Samples, ...]:
        """What is carried from frame to frame: ``(rows, bins)`` and ``(bins,)``."""
        return self._memory, self._held

    @property
    def moved(self) -> Samples:
        """The noise over what was expected, as powers ``(bins,)``; the caller moves it."""
        found: Samples = self._memory[_MOVED]
        return found

    @property
    def wide(self) -> Samples:
        """The wide average of the frame that waits, over the noise as expected at first.

        ``(bins,)``, a ratio of powers.
        """
        found: Samples = self._memory[_WIDE] * self._memory[_MOVED]
        return found

    def weigh(self, spectra: Spectra, floor: float) -> None:
        """Weigh spectra ``(frames, bins)`` in place; they leave one frame later.

        ``floor`` is the least gain, an amplitude ratio.
        """
        _suppress(
            spectra,
            self._held,
            self._per_noise,
            self._memory,
            *self._narrow,
            *self._wide,
            self._per_deviation,
            floor,
        )


def _window(bins: int, least: int, share: float) -> tuple[Places, Places, Samples]:
    """From where to where each bin is averaged, the end not included, and one over how many those
    are: ``(bins,)`` each."""
    at = np.arange(bins)
    half = np.maximum(least, np.round(share * at).astype(np.int64))
    # As wide at the edges as beside them: fewer bins would flicker more.
    low = np.clip(at - half, 0, bins - 2 * half - 1)
    low, high = np.maximum(low, 0), np.minimum(np.maximum(at + half + 1, 2 * half + 1), bins)
    return low, high, 1.0 / (high - low)


@njit(cache=True, nogil=True, fastmath=True)
def _suppress(
    spectra: Spectra,
    held: Spectra,
    per_noise: Samples,
    memory: Samples,
    narrow_from: Places,
    narrow_to: Places,
    narrow_per: Samples,
    wide_from: Places,
    wide_to: Places,
    wide_per: Samples,
    per_deviation: Samples,
    floor: float,
) -> None:
    frames, bins = spectra.shape
    ratio, narrow, wide = memory[0], memory[1], memory[2]
    narrow_mean, wide_mean, moved = memory[3], memory[4], memory[5]
    coming, sums = np.empty(bins), np.empty(bins + 1)
    next_narrow, next_wide, gains = np.empty(bins), np.empty(bins), np.empty(bins)
    sums[0] = 0.0
    for j in range(frames):
        for k in range(bins):
            coming[k] = (
                (spectra[j, k].real ** 2 + spectra[j, k].imag ** 2) * per_noise[k] / moved[k]
            )
        total = 0.0
        for k in range(bins):
            total += coming[k]
            sums[k + 1] = total
        for k in range(bins):
            low, high = wide_from[k], wide_to[k]
            next_wide[k] = (sums[high] - sums[low]) * wide_per[k]
            low, high = narrow_from[k], narrow_to[k]
            next_narrow[k] = (sums[high] - sums[low]) * narrow_per[k]
        for k in range(bins):
            wide_mean[k] += (wide[k] - wide_mean[k]) * (1.0 - _WIDE_STAYS)
            narrow_mean[k] += (narrow[k] - narrow_mean[k]) * (1.0 - _NARROW_STAYS)
            average = (1.0 - _AHEAD) * wide_mean[k] + _AHEAD * next_wide[k]
            broad = max(average - _WIDE_LESS, _LEAST_PRIOR)
            fine = max(narrow_mean[k] - _NARROW_LESS, _LEAST_PRIOR)
            # A mean between the two that leans to the fine one where speech is strong.
            leans = broad / (broad + _LEANS)
            root = 1.0 / (leans / math.sqrt(fine) + (1.0 - leans) / math.sqrt(broad))
            clear = broad / (broad + _CLEAR)
            prior = root * root * (1.0 + _CLEAR_LIFT * clear * clear)
            gain = log_spectral_gain(prior, ratio[k])
            over = _STEEP * ((average - 1.0) * per_deviation[k] - 1.0)
            present = 0.5 + 0.5 * over / math.sqrt(1.0 + over * over)
            gains[k] = max(floor + (gain - floor) * present, floor)
        for k in range(bins):
            sample = spectra[j, k]
            spectra[j, k] = held[k] * gains[k]
            held[k] = sample
        ratio[:], narrow[:], wide[:] = coming, next_narrow, next_wide
