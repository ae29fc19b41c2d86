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
# Rows of the memory: of the held frame its ratio and averages, the averages over time; how far the
# noise has moved from what was expected; a slow average, its least in this second, and its
# least in each of the last eight.
_RATIO, _NARROW, _WIDE, _NARROW_MEAN, _WIDE_MEAN = 0, 1, 2, 3, 4
_MOVED, _SLOW, _LEAST, _LEASTS = 5, 6, 7, 8
_PARTS, _PART_S, _SLOW_S = 8, 1.0, 0.06
_ROWS = _LEASTS + _PARTS
# The least of many lies under the mean by so many standard deviations of the slow average.
_LEAST_UNDER = 2.2
# It is never believed that the noise moved by more.
_MOST_MOVED = 10.0
_COUNT, _PART = 0, 1
# In digital silence averages must not dwindle into numbers that a processor is slow with.
_NOTHING = 1e-12


class Presence:
    """The averages that tell speech from noise, and the frame that waits for the next one."""

    def __init__(self, per_noise: Samples, *, hop_s: float, follow_s: float) -> None:
        bins = len(per_noise)
        self._per_noise = per_noise
        self._memory = np.zeros((_ROWS, bins))
        self._memory[_MOVED:] = 1.0
        self._counts = np.zeros(2)
        self._follow = 1.0 - math.exp(-_PART_S / follow_s) if follow_s > 0.0 else 0.0
        self._per_part = max(1, round(_PART_S / hop_s))
        self._slow = 1.0 - math.exp(-hop_s / _SLOW_S)
        self._held = np.zeros(bins, dtype=complex)
        narrow, wide = (
            _window(bins, _NARROW_BINS, _NARROW_SHARE),
            _window(bins, _WIDE_BINS, _WIDE_SHARE),
        )
        self._places = np.concatenate([narrow, wide])
        counts = self._places[1::2] - self._places[::2]
        per_deviation = np.sqrt(counts[1] / 2.0)
        under = _LEAST_UNDER * math.sqrt(3.0 * hop_s / _SLOW_S) / per_deviation
        self._per_least = 1.0 / (1.0 - np.minimum(under, 0.5))
        self._weights = np.stack([1.0 / counts[0], 1.0 / counts[1], per_deviation])

    @property
    def state(self) -> tuple[Samples, ...]:
        """What is carried from frame to frame: ``(rows, bins)``, ``(bins,)`` and ``(2,)``."""
        return self._memory, self._held, self._counts

    @property
    def least(self) -> Samples:
        """The noise of the last eight seconds over what was expected, as the quietest moments tell,
        a ratio of powers ``(bins,)``; ones until they are over."""
        found: Samples = self._memory[_LEASTS:].min(axis=0) * self._per_least
        return found if self._counts[_PART] >= _PARTS else np.ones_like(found)

    def weigh(self, spectra: Spectra, floor: float) -> None:
        """Weigh spectra ``(frames, bins)`` in place; they leave one frame later.

        ``floor`` is the least gain, an amplitude ratio.
        """
        done = 0
        while done < len(spectra):
            count = min(len(spectra) - done, self._per_part - int(self._counts[_COUNT]))
            _suppress(
                spectra[done : done + count],
                self._held,
                self._per_noise,
                self._memory,
                self._places,
                self._weights,
                self._slow,
                floor,
            )
            done += count
            self._counts[_COUNT] += count
            if self._counts[_COUNT] >= self._per_part:
                _end_part(self._memory, self._counts, self._per_least, self._follow)


def _window(bins: int, least: int, share: float) -> Places:
    """From where to where each bin is averaged, the end not included, ``(2, bins)``."""
    at = np.arange(bins)
    half = np.maximum(least, np.round(share * at).astype(np.int64))
    # As wide at the edges as beside them: fewer bins would flicker more.
    low = np.clip(at - half, 0, bins - 2 * half - 1)
    low, high = np.maximum(low, 0), np.minimum(np.maximum(at + half + 1, 2 * half + 1), bins)
    return np.stack([low, high])


@njit(cache=True, nogil=True, fastmath=True)
def _suppress(
    spectra: Spectra,
    held: Spectra,
    per_noise: Samples,
    memory: Samples,
    places: Places,
    weights: Samples,
    slow: float,
    floor: float,
) -> None:
    frames, bins = spectra.shape
    ratio, narrow, wide = memory[_RATIO], memory[_NARROW], memory[_WIDE]
    narrow_mean, wide_mean, moved = memory[_NARROW_MEAN], memory[_WIDE_MEAN], memory[_MOVED]
    coming, sums = np.empty(bins), np.empty(bins + 1)
    next_narrow, next_wide, gains = np.empty(bins), np.empty(bins), np.empty(bins)
    sums[0] = 0.0
    for j in range(frames):
        for k in range(bins):
            power = spectra[j, k].real ** 2 + spectra[j, k].imag ** 2
            coming[k] = power * per_noise[k] / moved[k] + _NOTHING
        total = 0.0
        for k in range(bins):
            total += coming[k]
            sums[k + 1] = total
        for k in range(bins):
            low, high = places[2, k], places[3, k]
            next_wide[k] = (sums[high] - sums[low]) * weights[1, k]
            low, high = places[0, k], places[1, k]
            next_narrow[k] = (sums[high] - sums[low]) * weights[0, k]
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
            over = _STEEP * ((average - 1.0) * weights[2, k] - 1.0)
            present = 0.5 + 0.5 * over / math.sqrt(1.0 + over * over)
            gains[k] = max(floor + (gain - floor) * present, floor)
        for k in range(bins):
            sample = spectra[j, k]
            spectra[j, k] = held[k] * gains[k]
            held[k] = sample
        ratio[:], narrow[:], wide[:] = coming, next_narrow, next_wide
        for k in range(bins):
            memory[_SLOW, k] += (next_wide[k] * moved[k] - memory[_SLOW, k]) * slow
            memory[_LEAST, k] = min(memory[_LEAST, k], memory[_SLOW, k])


@njit(cache=True, nogil=True)
def _end_part(memory: Samples, counts: Samples, per_least: Samples, follow: float) -> None:
    """At the end of a second: keep its least, and let the noise go a little of the way to what
    the quietest moments tell."""
    counts[0] = 0.0
    memory[_LEASTS + int(counts[1]) % _PARTS] = memory[_LEAST]
    memory[_LEAST] = memory[_SLOW]
    counts[1] += 1.0
    if counts[1] < _PARTS or follow <= 0.0:
        return
    for k in range(memory.shape[1]):
        least = memory[_LEASTS, k]
        for row in range(_LEASTS + 1, _LEASTS + _PARTS):
            least = min(least, memory[row, k])
        told = min(max(least * per_least[k], 1.0 / _MOST_MOVED), _MOST_MOVED)
        memory[_MOVED, k] *= (told / memory[_MOVED, k]) ** follow
