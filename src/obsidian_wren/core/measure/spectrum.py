"""Power spectra and fractional-octave bands.

Spectra are averaged Hann frames (Welch). Bands weigh the spectrum with the power response of a
Butterworth band-pass of order six between the edges of IEC 61260-1, base ten. It meets class 1, and
passes 0.05 dB more of a white noise than its edges enclose.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import numpy.typing as npt

from obsidian_wren.core.decibels import AES17_OFFSET_DB, Samples, power_db
from obsidian_wren.core.kernel import plain
from obsidian_wren.core.measure.weighting import a_weighting_power
from obsidian_wren.core.record_types import Level

OCTAVE_RATIO = 10.0**0.3
NOMINAL_THIRD_OCTAVES_HZ = (
    *(25, 31.5, 40, 50, 63, 80, 100, 125, 160, 200, 250, 315, 400, 500, 630, 800),
    *(1000, 1250, 1600, 2000, 2500, 3150, 4000, 5000, 6300, 8000, 10000, 12500, 16000, 20000),
)
Places = npt.NDArray[np.int64]
# So many stay in a processor's cache.
_FRAMES_AT_ONCE = 4


@dataclass(frozen=True)
class Spectrum:
    """One-sided mean-square spectrum:

    ``mean_square`` per bin at ``frequency_hz``, both ``(bins,)``; sums to the mean square.
    """

    frequency_hz: Samples
    mean_square: Samples

    @property
    def bin_hz(self) -> float:
        """Distance between bins, Hz."""
        return float(self.frequency_hz[1] - self.frequency_hz[0])


@dataclass(frozen=True)
class Band:
    """One fractional-octave band: nominal mid-band in Hz and its AES17 level in dBFS."""

    centre_hz: float
    level_dbfs: Level


def frame_length(rate_hz: float, *, frame_s: float, available_samples: int) -> int:
    """The power of two nearest to ``frame_s``, no longer than what is there."""
    wanted = 2 ** round(np.log2(max(16.0, frame_s * rate_hz)))
    return int(min(wanted, max(16, available_samples)))


def power_spectrum(
    samples: Samples, *, rate_hz: float, frame_s: float, frames_wanted: Samples | None = None
) -> Spectrum:
    """Average Hann spectrum of ``(n,)`` samples with half overlap.

    ``frames_wanted`` is an optional weight for each frame, from ``frame_starts``; frames at weight
    zero are left out. Fewer samples than the shortest frame has are followed by silence.
    """
    length = frame_length(rate_hz, frame_s=frame_s, available_samples=len(samples))
    if len(samples) < length:
        samples = np.concatenate([samples, np.zeros(length - len(samples))])
    window = np.hanning(length + 1)[:-1]
    count = (len(samples) - length) // (length // 2) + 1
    weights = np.ones(count) if frames_wanted is None else np.asarray(frames_wanted, dtype=float)
    chosen = np.flatnonzero(weights > 0)
    total = _summed(plain(samples), chosen * (length // 2), weights[chosen], window)
    scale = max(float(weights[chosen].sum()), 1e-12) * length * float(np.dot(window, window))
    total *= 2.0 / scale
    total[0] /= 2.0
    if length % 2 == 0:
        total[-1] /= 2.0
    return Spectrum(np.asarray(np.fft.rfftfreq(length, 1.0 / rate_hz)), total)


def _summed(samples: Samples, starts: Places, weights: Samples, window: Samples) -> Samples:
    """Squares of the spectra of windowed frames, weighed and summed, ``(bins,)``."""
    length = len(window)
    frames = np.lib.stride_tricks.sliding_window_view(samples, length)
    squares, held = np.zeros(2 * (length // 2 + 1)), np.empty((_FRAMES_AT_ONCE, length))
    for first in range(0, len(starts), _FRAMES_AT_ONCE):
        rows = starts[first : first + _FRAMES_AT_ONCE]
        here = held[: len(rows)]
        np.multiply(frames[rows], window, out=here)
        # Real and imaginary parts side by side: one array to square and to add up.
        parts = np.fft.rfft(here, axis=1).view(float)
        np.square(parts, out=parts)
        squares += weights[first : first + _FRAMES_AT_ONCE] @ parts
    return np.asarray(squares.reshape(-1, 2).sum(axis=1))


def frame_starts(samples: Samples, *, rate_hz: float, frame_s: float) -> tuple[Samples, int]:
    """Start sample of each frame that :func:`power_spectrum` uses, and the frame length in samples.

    Samples ``(n,)``, starts ``(frames,)``.
    """
    length = frame_length(rate_hz, frame_s=frame_s, available_samples=len(samples))
    return np.arange(0, len(samples) - length + 1, length // 2, dtype=float), length


def band_weights(
    frequency_hz: Samples, centres_hz: Samples, *, bands_per_octave: float = 3.0
) -> Samples:
    """Power weights ``(bands, bins)`` of Butterworth bands, −3.01 dB at the edges (IEC 61260-1
    class 1).

    ``bands_per_octave``: 3 for third octaves.
    """
    half = OCTAVE_RATIO ** (0.5 / bands_per_octave)
    quality = 1.0 / (half - 1.0 / half)
    safe = np.maximum(frequency_hz, 1e-9)[None, :]
    centre = np.asarray(centres_hz, dtype=float)[:, None]
    detuning_squared = (quality * (safe / centre - centre / safe)) ** 2
    # Multiplied out, since a general power is many times slower.
    cubed = detuning_squared * detuning_squared * detuning_squared
    return np.asarray(1.0 / (1.0 + cubed * cubed))


def exact_third_octave_hz(nominal_hz: float) -> float:
    """Exact mid-band frequency 1000·10^(k/10) of a nominal third octave (IEC 61260-1)."""
    return float(10.0 ** (round(10.0 * np.log10(nominal_hz)) / 10.0))


@lru_cache(maxsize=6)
def _third_octave_weights(bins: int, top_hz: float) -> tuple[tuple[float, ...], Samples]:
    nominal = tuple(
        c
        for c in NOMINAL_THIRD_OCTAVES_HZ
        if exact_third_octave_hz(c) * OCTAVE_RATIO ** (1 / 6) < top_hz
    )
    exact = np.array([exact_third_octave_hz(c) for c in nominal])
    return nominal, band_weights(np.linspace(0.0, top_hz, bins), exact)


def third_octaves(spectrum: Spectrum) -> tuple[Band, ...]:
    """AES17 third-octave levels from 25 Hz up to the last band whose upper edge is under
    Nyquist."""
    nominal, weights = _third_octave_weights(
        len(spectrum.frequency_hz), float(spectrum.frequency_hz[-1])
    )
    levels = power_db(weights @ spectrum.mean_square) + AES17_OFFSET_DB
    return tuple(Band(float(c), float(level)) for c, level in zip(nominal, levels, strict=True))


def weighted_dbfs(spectrum: Spectrum, weighting: Callable[[Samples], Samples]) -> float:
    """AES17 level of a spectrum behind a weighting given as a power ratio of frequency, dBFS.

    The weighting takes ``(bins,)`` of Hz and gives ``(bins,)``.
    """
    return (
        power_db(float(weighting(spectrum.frequency_hz) @ spectrum.mean_square)) + AES17_OFFSET_DB
    )


def a_weighted_dbfs(spectrum: Spectrum) -> float:
    """A-weighted AES17 level of a spectrum, dBFS (IEC 61672-1, weighted in the frequency
    domain)."""
    return weighted_dbfs(spectrum, a_weighting_power)
