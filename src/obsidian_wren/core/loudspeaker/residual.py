"""What the filter leaves of what is played: what a small loudspeaker distorts, the end of the
reverb, and what was not learned yet. The gain of noise reduction takes it, with what is left over
expected from what was taken.

Source: Ephraim and Malah (1985) for the gain (``spectral_gain``); the rest by measurement.
"""

from __future__ import annotations

import math

import numpy as np

from obsidian_wren.core.chain.short_time import (
    SPECTRAL_DELAY_S,
    ShortTime,
    Spectra,
    analysed,
    put_together,
)
from obsidian_wren.core.chain.spectral_gain import log_spectral_gain
from obsidian_wren.core.decibels import Samples, amplitude_from_db
from obsidian_wren.core.kernel import kernel

# More than what is expected is taken, down to so much; what stays of the reverb from frame to
# frame of 4 ms; the a-priori ratio of before.
_OVER, _LEAST_DB, _RINGS, _SMOOTH = 8.0, -26.0, 0.9, 0.9
# The share that is left is followed down at once and up slowly: the near voice only makes it look
# more.
_DOWN, _UP, _LEAST_SHARE = 0.05, 1.003, 1e-5
_FLOOR_UP, _FLOOR_DOWN = 1.0005, 0.05
_SHARE, _TAIL, _FLOOR, _PRIOR = 0, 1, 2, 3


@kernel(
    "void(c16[:, ::1], c16[:, ::1], f8[:, ::1], f8, f8)",
    fastmath=True,
    error_model="numpy",
)
def _take(left: Spectra, taken: Spectra, memory: Samples, changed: float, least: float) -> None:
    share, tail, floor, before = memory[_SHARE], memory[_TAIL], memory[_FLOOR], memory[_PRIOR]
    for j in range(left.shape[0]):
        frame, echo = left[j], taken[j]
        for k in range(left.shape[1]):
            power = frame[k].real ** 2 + frame[k].imag ** 2 + 1e-20
            tail[k] = max(echo[k].real ** 2 + echo[k].imag ** 2, _RINGS * tail[k])
            if tail[k] > 0.05 * floor[k]:
                found = power / (tail[k] + 1e-20)
                if found < share[k]:
                    share[k] += (found - share[k]) * _DOWN
                else:
                    share[k] = min(share[k] * _UP, found)
                share[k] = min(max(share[k], _LEAST_SHARE), 1.0)
            if power > floor[k]:
                floor[k] = min(floor[k] * _FLOOR_UP + 1e-20, power)
            else:
                floor[k] += (power - floor[k]) * _FLOOR_DOWN
            expected = _OVER * max(share[k], changed) * tail[k] + 1e-20
            posterior = min(power / expected, 1e4)
            prior = _SMOOTH * before[k] + (1.0 - _SMOOTH) * max(posterior - 1.0, 0.0)
            gain = log_spectral_gain(max(prior, 1e-4), posterior)
            before[k] = gain * gain * posterior
            # The room's own noise stays as it is.
            quiet = min(math.sqrt(floor[k] / power), 1.0)
            frame[k] *= max(gain, least, quiet)


class Residual:
    """Takes what is left of what is played, at a rate; later by ``delay_samples``."""

    def __init__(self, *, rate_hz: float) -> None:
        self._left, self._taken = (
            ShortTime(rate_hz=rate_hz, delay_s=SPECTRAL_DELAY_S) for _each in range(2)
        )
        self.delay_samples = self._left.delay_samples
        self._memory = np.zeros((4, self._left.length // 2 + 1))
        self._memory[_SHARE], self._memory[_FLOOR], self._memory[_PRIOR] = 0.5, 1e-9, 1.0
        self._least = amplitude_from_db(_LEAST_DB)

    def process(self, left: Samples, taken: Samples, *, changed: float) -> Samples:
        """``(n,)`` samples of what is left beside what was taken, as many; ``changed``: how much of
        what was taken is known to be left, 0 to 1."""
        frames = analysed(left, self._left.arrays)
        echo = analysed(taken, self._taken.arrays)
        if len(frames):
            _take(frames, echo, self._memory, changed**2, self._least)
        return put_together(frames, len(left), self._left.arrays)
