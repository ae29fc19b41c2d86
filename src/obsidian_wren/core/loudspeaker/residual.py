"""What the filter leaves of what is played: what a small loudspeaker distorts, the end of the
reverb, and what was not learned yet. The gain of noise reduction takes it, with what remains
expected from what was taken.

Source: Ephraim and Malah (1985) for the gain (``spectral_gain``); the rest by measurement.
"""

from __future__ import annotations

import math

import numpy as np

from obsidian_wren.core.chain.short_time import (
    ShortTime,
    Spectra,
    both_analysed,
    put_together,
)
from obsidian_wren.core.chain.spectral_gain import log_spectral_gain
from obsidian_wren.core.decibels import Samples, amplitude_from_db
from obsidian_wren.core.kernel import kernel

_DELAY_S = 0.012
# More than what is expected is taken, down to so much; what stays of the reverb from frame to
# frame of 6 ms; the a-priori ratio of before.
_OVER, _LEAST_DB, _RINGS, _SMOOTH = 8.0, -26.0, 0.86, 0.86
# The share that is left is followed down at once and up slowly: the near voice only makes it look
# more.
_DOWN, _UP, _LEAST_SHARE = 0.07, 1.005, 1e-5
_FLOOR_UP, _FLOOR_DOWN = 1.0008, 0.07
_SHARE, _TAIL, _FLOOR, _PRIOR = 0, 1, 2, 3


# A loop writes to one array only: so the compiler sees that it may work on many bins at a time.
@kernel(
    "void(c16[:, ::1], c16[:, ::1], f8[:, ::1], f8, f8)",
    fastmath=True,
    error_model="numpy",
)
def _take(left: Spectra, taken: Spectra, memory: Samples, changed: float, least: float) -> None:
    share, tail, floor, before = memory[_SHARE], memory[_TAIL], memory[_FLOOR], memory[_PRIOR]
    bins = left.shape[1]
    power, ratio, gains = np.empty(bins), np.empty(bins), np.empty(bins)
    for j in range(left.shape[0]):
        frame, echo = left[j], taken[j]
        for k in range(bins):
            power[k] = frame[k].real ** 2 + frame[k].imag ** 2 + 1e-20
        for k in range(bins):
            tail[k] = max(echo[k].real ** 2 + echo[k].imag ** 2, _RINGS * tail[k]) + 1e-20
        for k in range(bins):
            found = power[k] / tail[k]
            down = share[k] + (found - share[k]) * _DOWN
            new = down if found < share[k] else min(share[k] * _UP, found)
            new = min(max(new, _LEAST_SHARE), 1.0)
            share[k] = new if tail[k] > 0.05 * floor[k] else share[k]
        for k in range(bins):
            down = floor[k] + (power[k] - floor[k]) * _FLOOR_DOWN
            up = min(floor[k] * _FLOOR_UP + 1e-20, power[k])
            floor[k] = up if power[k] > floor[k] else down
        for k in range(bins):
            ratio[k] = min(power[k] / (_OVER * max(share[k], changed) * tail[k] + 1e-20), 1e4)
        for k in range(bins):
            prior = _SMOOTH * before[k] + (1.0 - _SMOOTH) * max(ratio[k] - 1.0, 0.0)
            gains[k] = log_spectral_gain(max(prior, 1e-4), ratio[k])
        for k in range(bins):
            before[k] = gains[k] * gains[k] * ratio[k]
        for k in range(bins):
            # The room's own noise stays as it is.
            gains[k] = max(gains[k], least, math.sqrt(min(floor[k] / power[k], 1.0)))
        for k in range(bins):
            frame[k] = complex(frame[k].real * gains[k], frame[k].imag * gains[k])


class Residual:
    """Takes what is left of what is played, at a rate; later by ``delay_samples``."""

    def __init__(self, *, rate_hz: float) -> None:
        self._left, self._taken = (
            ShortTime(rate_hz=rate_hz, delay_s=_DELAY_S) for _each in range(2)
        )
        self.delay_samples = self._left.delay_samples
        self._memory = np.zeros((4, self._left.length // 2 + 1))
        self._memory[_SHARE], self._memory[_FLOOR], self._memory[_PRIOR] = 0.5, 1e-9, 1.0
        self._least = amplitude_from_db(_LEAST_DB)

    def process(self, left: Samples, taken: Samples | None, *, changed: float) -> Samples:
        """``(n,)`` samples of what is left beside what was taken, as many, None for nothing at all;
        ``changed``: how much of what was taken is known to be left, 0 to 1."""
        both = left, np.zeros(len(left)) if taken is None else taken
        frames, echo = both_analysed(*both, self._left.arrays, self._taken.arrays)
        if len(frames) and taken is not None:
            _take(frames, echo, self._memory, changed**2, self._least)
        return put_together(frames, len(left), self._left.arrays)
