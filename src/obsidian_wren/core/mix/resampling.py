"""Resampling at the edge of the program: between rates, and between clocks that say the same rate
but do not keep it.

A windowed sinc (Kaiser, 140 dB) is held at 1024 phases; between two phases the output is
interpolated along a straight line (J. O. Smith, "Digital Audio Resampling", bandlimited
interpolation). The ratio may change from block to block, without a click. It holds 1.3 ms back at
48 kHz, where a library's stream of the same stopband holds 14 to 21 ms.

Source: J. O. Smith, "Digital Audio Resampling".
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.kernel import kernel, plain

_PHASES = 1024
_HALF_TAPS = 64
_STOPBAND_DB = 140.0
# For what nobody hears.
_FEW_HALF_TAPS, _FEW_STOPBAND_DB = 20, 60.0
# No clock of a sound device is farther off, and no ear hears less.
_MOST_OFF = 0.002
_PAIR = 2


@lru_cache(maxsize=16)
def _table(cutoff: float, half_taps: int, stopband_db: float) -> Samples:
    """The filter at every phase ``(phases + 1, taps)``, row by row in the order of the input;
    ``cutoff`` in cycles per input sample."""
    half = round(half_taps * 0.5 / cutoff)
    share = np.arange(_PHASES + 1) / _PHASES
    # Distance of each tap from the place between two samples that is wanted.
    at = np.arange(-half + 1, half + 1)[None, :] - share[:, None]
    beta = 0.1102 * (stopband_db - 8.7)
    inside = np.clip(1.0 - (at / half) ** 2, 0.0, None)
    window = np.where(np.abs(at) < half, np.i0(beta * np.sqrt(inside)) / np.i0(beta), 0.0)
    # The transition band of the window lies wholly under the edge, so that nothing folds.
    width = (stopband_db - 8.0) / (2.285 * 2.0 * half) / (2.0 * np.pi)
    middle = 2.0 * (cutoff - width / 2.0)
    return np.ascontiguousarray(middle * np.sinc(middle * at) * window)


@kernel(fastmath={"reassoc", "contract"})
def _one(near: Samples, lower: Samples, upper: Samples, part: float) -> float:
    low, high = 0.0, 0.0
    for k in range(len(near)):
        low += near[k] * lower[k]
        high += near[k] * upper[k]
    return low + part * (high - low)


@kernel(fastmath={"reassoc", "contract"})
def _both(
    left: Samples, right: Samples, lower: Samples, upper: Samples, part: float
) -> tuple[float, float]:
    # Of one channel and then the other, the filter would be read twice.
    low, high, low_right, high_right = 0.0, 0.0, 0.0, 0.0
    for k in range(len(left)):
        low += left[k] * lower[k]
        high += left[k] * upper[k]
        low_right += right[k] * lower[k]
        high_right += right[k] * upper[k]
    return low + part * (high - low), low_right + part * (high_right - low_right)


@kernel()
def _take_in(held: Samples, count: int, block: Samples) -> None:
    for channel in range(len(held)):
        for i in range(len(block)):
            held[channel, count + i] = block[i, channel]


@kernel("Tuple((i8, i8, f8))(f8[:, ::1], i8, f8[:, ::1], f8[:, ::1], f8, f8, f8[:, ::1])")
def _resample(
    held: Samples, count: int, block: Samples, table: Samples, at: float, step: float, out: Samples
) -> tuple[int, int, float]:
    """Take the block ``(n, channels)`` in behind ``count`` samples that are held ``(channels, m)``
    and give what they complete: so many samples of ``out``, how many stay held, and where the next
    one lies among them."""
    half, channels = table.shape[1] // 2, len(held)
    phases = table.shape[0] - 1
    _take_in(held, count, block)
    count += len(block)
    done, begin = 0, at
    while done < out.shape[0]:
        first = int(np.floor(at))
        if first + half >= count:
            break
        place = (at - first) * phases
        row = int(place)
        part = place - row
        lower, upper = table[row], table[row + 1]
        # A slice of its own: its indices cannot be negative, so the loop runs on vectors.
        start, end = first - half + 1, first + half + 1
        if channels == _PAIR:
            left, right = held[0, start:end], held[1, start:end]
            out[done, 0], out[done, 1] = _both(left, right, lower, upper, part)
        else:
            for channel in range(channels):
                out[done, channel] = _one(held[channel, start:end], lower, upper, part)
        done += 1
        at = begin + done * step
    # What no coming sample can need any more goes.
    gone = max(0, min(int(np.floor(at)) - half + 1, count))
    for channel in range(channels):
        for i in range(gone, count):
            held[channel, i - gone] = held[channel, i]
    return done, count - gone, at - gone


class Resampler:
    """Samples of one rate in, of another out, as they come; all channels at once.

    Good to 20/24 of the lower Nyquist frequency; ``unheard``: fewer taps, for what is only looked
    at.

    ``ratio`` is input samples per output sample; it may be set anew at any time, by a few
    thousandths, to follow a clock.
    """

    def __init__(
        self, *, from_hz: float, to_hz: float, channels: int = 1, unheard: bool = False
    ) -> None:
        self.ratio = from_hz / to_hz
        filtered = (_FEW_HALF_TAPS, _FEW_STOPBAND_DB) if unheard else (_HALF_TAPS, _STOPBAND_DB)
        self._table = _table(0.5 * min(1.0, to_hz / from_hz), *filtered)
        self._half = self._table.shape[1] // 2
        self._held, self._count = np.zeros((channels, self._half)), self._half
        self._at = float(self._half) - 1.0

    @property
    def delay_samples(self) -> float:
        """Input samples by which the output lags."""
        return float(self._half)

    def process(self, block: Samples) -> Samples:
        """The output samples ``(m, channels)`` that the ``(n, channels)`` input samples
        complete; those of one channel may come as ``(n,)``."""
        (channels, room), count = self._held.shape, self._count + len(block)
        if count > room:
            held = np.empty((channels, count))
            held[:, : self._count] = self._held[:, : self._count]
            self._held = held
        wide = plain(block).reshape(len(block), channels)
        out = np.empty((int((count - self._at) / self.ratio) + 2, channels))
        done, self._count, self._at = _resample(
            self._held, self._count, wide, self._table, self._at, self.ratio, out
        )
        return out[:done]


class ClockFollower:
    """Keeps what waits between two clocks at a level: a slow loop turns the ratio until as much
    leaves as comes (a delay-locked loop).

    ``ratio`` starts at 1 and stays within 0.2 % of it: no pitch that anyone hears.
    """

    def __init__(self, *, wanted_samples: float, rate_hz: float, time_s: float = 8.0) -> None:
        self.wanted_samples = wanted_samples
        self.ratio = 1.0
        self._rate_hz = rate_hz
        self._smooth_samples = 0.1 * time_s * rate_hz
        self._error = 0.0
        self._gain = 2.0 / (time_s * rate_hz)
        self._integral_gain = 1.0 / (time_s * rate_hz) ** 2
        self._integral = 0.0

    @property
    def drift_ppm(self) -> float:
        """By how much the far clock is slower than the near one, parts per million, as the loop
        has learned it."""
        return self._integral * 1e6

    def see(self, waiting_samples: float, *, elapsed_samples: float) -> float:
        """Tell what waits after so much time; gives the ratio for the coming block."""
        # Blocks come in jerks; only what lasts is followed.
        error = waiting_samples - self.wanted_samples
        self._error += (error - self._error) * min(1.0, elapsed_samples / self._smooth_samples)
        error = self._error
        self._integral = _within(self._integral + self._integral_gain * error * elapsed_samples)
        self.ratio = 1.0 + _within(self._integral + self._gain * error)
        return self.ratio


def _within(off: float) -> float:
    return max(-_MOST_OFF, min(_MOST_OFF, off))
