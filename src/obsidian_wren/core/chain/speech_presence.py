"""Whether a bin of a short-time spectrum holds speech, and the gain that follows from it.

The a-posteriori ratio (power over the noise that is expected) is averaged twice: over few bins, to
follow the harmonics of a voice, and over a band as wide as the ear's own, over the frames before
and the one that comes next. The wide average tells whether speech is present at all: noise alone
keeps it within its standard deviation around one. Where the voice is weak beside the noise the
a-priori ratio leans on the wide average, where it is strong on the narrow one; so single bins of
noise do not flicker and a word's beginning is not late.

Source: Cohen and Berdugo (2001), "Speech enhancement for non-stationary noise environments", for
the gain under uncertain presence and the averages over neighbours; Cohen (2005), "Relaxed
statistical model for speech enhancement and a priori SNR estimation", for the frame ahead; Sohn,
Kim and Sung (1999), "A statistical model-based voice activity detection", for the likelihood ratio;
the weights by measurement.
"""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt

from obsidian_wren.core.chain.short_time import Spectra
from obsidian_wren.core.chain.spectral_gain import log_spectral_gain
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.kernel import kernel

Places = npt.NDArray[np.int64]
# The frame that waits, one over the noise expected, the memory, windows and weights, counts, paces,
# the bins that voices use.
Arrays = tuple[
    Spectra,
    Samples,
    Samples,
    Places,
    Samples,
    Samples,
    Samples,
    Places,
]
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
_MOST_PRODUCT = 1e100
_DB_PER_NEPER = 10.0 / math.log(10.0)
# In digital silence averages must not dwindle into numbers that a processor is slow with.
_NOTHING = 1e-12


class Presence:
    """The averages that tell speech from noise, and the frame that waits for the next one."""

    def __init__(
        self, per_noise: Samples, *, hop_s: float, follow_s: float, voiced: tuple[int, int]
    ) -> None:
        bins = len(per_noise)
        self._per_noise, self._voiced = per_noise, np.array(voiced)
        self._memory = np.zeros((_ROWS, bins))
        self._memory[_MOVED:] = 1.0
        self._counts = np.zeros(2)
        self._paces = np.array(
            [
                max(1, round(_PART_S / hop_s)),
                1.0 - math.exp(-hop_s / _SLOW_S),
                1.0 - math.exp(-_PART_S / follow_s) if follow_s > 0.0 else 0.0,
            ]
        )
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
        self._weights = np.stack([1.0 / counts[0], 1.0 / counts[1], per_deviation, self._per_least])

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

    @property
    def arrays(self) -> Arrays:
        """What :func:`suppress` works on."""
        return (
            self._held,
            self._per_noise,
            self._memory,
            self._places,
            self._weights,
            self._counts,
            self._paces,
            self._voiced,
        )


def _window(bins: int, least: int, share: float) -> Places:
    """From where to where each bin is averaged, the end not included, ``(2, bins)``."""
    at = np.arange(bins)
    half = np.maximum(least, np.round(share * at).astype(np.int64))
    # As wide at the edges as beside them: fewer bins would flicker more.
    low = np.clip(at - half, 0, bins - 2 * half - 1)
    low, high = np.maximum(low, 0), np.minimum(np.maximum(at + half + 1, 2 * half + 1), bins)
    return np.stack([low, high])


# A loop writes to one array only: so the compiler sees that it may work on many bins at a time.
@kernel(
    "f8[::1](c16[:, ::1], Tuple((c16[::1], f8[::1], f8[:, ::1], i8[:, ::1], f8[:, ::1], "
    "f8[::1], f8[::1], i8[::1])), f8)",
    fastmath=True,
    error_model="numpy",
)
def suppress(spectra: Spectra, arrays: Arrays, floor: float) -> Samples:
    """Weigh spectra ``(frames, bins)`` in place; they leave one frame later.

    ``floor`` is the least gain, an amplitude ratio. Gives the likelihood ratio of speech of the
    frames that leave, ``(frames,)``, dB: of a bin on average, over the bins that voices use.
    """
    held, per_noise, memory, places, weights, counts, paces, voiced = arrays
    frames, bins = spectra.shape
    per_part, slow, follow = paces[0], paces[1], paces[2]
    ratio, narrow, wide = memory[_RATIO], memory[_NARROW], memory[_WIDE]
    narrow_mean, wide_mean, moved = memory[_NARROW_MEAN], memory[_WIDE_MEAN], memory[_MOVED]
    slowly, least = memory[_SLOW], memory[_LEAST]
    coming, sums = np.empty(bins), np.empty(bins + 1)
    averages, priors, gains = np.empty(bins), np.empty(bins), np.empty(bins)
    likelihoods_db = np.empty(frames)
    for j in range(frames):
        frame = spectra[j]
        _approach(narrow_mean, narrow, 1.0 - _NARROW_STAYS)
        _approach(wide_mean, wide, 1.0 - _WIDE_STAYS)
        for k in range(bins):
            power = frame[k].real ** 2 + frame[k].imag ** 2
            coming[k] = power * per_noise[k] / moved[k] + _NOTHING
        total = sums[0] = 0.0
        for k in range(bins):
            total += coming[k]
            sums[k + 1] = total
        _average(sums, places[0], places[1], weights[0], narrow)
        _average(sums, places[2], places[3], weights[1], wide)
        for k in range(bins):
            averages[k] = (1.0 - _AHEAD) * wide_mean[k] + _AHEAD * wide[k]
        _weigh_bins(averages, narrow_mean, ratio, weights[2], floor, priors, gains)
        likelihoods_db[j] = _likelihood_db(ratio, priors, voiced)
        for k in range(bins):
            sample = frame[k]
            frame[k] = held[k] * gains[k]
            held[k] = sample
        ratio[:] = coming
        for k in range(bins):
            slowly[k] += (wide[k] * moved[k] - slowly[k]) * slow
        for k in range(bins):
            least[k] = min(least[k], slowly[k])
        counts[_COUNT] += 1.0
        if counts[_COUNT] >= per_part:
            _end_part(memory, counts, weights[3], follow)
    return likelihoods_db


@kernel(fastmath=True, error_model="numpy")
def _approach(mean: Samples, new: Samples, share: float) -> None:
    for k in range(len(mean)):
        mean[k] += (new[k] - mean[k]) * share


@kernel(fastmath=True, error_model="numpy")
def _average(sums: Samples, first: Places, end: Places, per_count: Samples, out: Samples) -> None:
    for k in range(len(out)):
        out[k] = (sums[end[k]] - sums[first[k]]) * per_count[k]


@kernel(fastmath=True, error_model="numpy")
def _weigh_bins(
    averages: Samples,
    narrow_mean: Samples,
    ratio: Samples,
    per_deviation: Samples,
    floor: float,
    priors: Samples,
    gains: Samples,
) -> None:
    for k in range(len(priors)):
        broad = max(averages[k] - _WIDE_LESS, _LEAST_PRIOR)
        fine = max(narrow_mean[k] - _NARROW_LESS, _LEAST_PRIOR)
        # A mean between the two that leans to the fine one where speech is strong.
        broad_root, fine_root = math.sqrt(broad), math.sqrt(fine)
        both = broad_root * fine_root * (broad + _LEANS)
        root = both / (broad * broad_root + _LEANS * fine_root)
        clear = broad / (broad + _CLEAR)
        priors[k] = root * root * (1.0 + _CLEAR_LIFT * clear * clear)
    for k in range(len(gains)):
        gain = log_spectral_gain(priors[k], ratio[k])
        over = _STEEP * ((averages[k] - 1.0) * per_deviation[k] - 1.0)
        present = 0.5 + 0.5 * over / math.sqrt(1.0 + over * over)
        gains[k] = max(floor + (gain - floor) * present, floor)


@kernel(fastmath=True, error_model="numpy")
def _likelihood_db(ratio: Samples, priors: Samples, voiced: Places) -> float:
    """Sohn, Kim and Sung (1999), the mean of their log ratio over bins."""
    likelihood, product = 0.0, 1.0
    for k in range(voiced[0], voiced[1]):
        likelihood += ratio[k] * priors[k] / (1.0 + priors[k])
    for k in range(voiced[0], voiced[1]):
        # One logarithm for many bins.
        product *= 1.0 + priors[k]
        if product > _MOST_PRODUCT:
            likelihood -= math.log(product)
            product = 1.0
    return float(_DB_PER_NEPER * (likelihood - math.log(product)) / (voiced[1] - voiced[0]))


@kernel()
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
        moved = min(max(least * per_least[k], 1.0 / _MOST_MOVED), _MOST_MOVED)
        memory[_MOVED, k] *= (moved / memory[_MOVED, k]) ** follow
