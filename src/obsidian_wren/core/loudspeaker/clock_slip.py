"""By how much the clock of what is played is slower than that of the microphone: a way that keeps
its shape moves along in time, which the phases of its weights tell.

Source: the group delay between two estimates of one response, by weighted least squares.
"""

from __future__ import annotations

from collections import deque

import numpy as np
import numpy.typing as npt

from obsidian_wren.core.loudspeaker.echo_path import BLOCK_S, Single

MOST_PPM = 200.0
_EVERY, _BACK = 25, 2
_BAND_HZ = (300.0, 4_000.0)
_SURE, _SETTLE, _GAIN = 0.8, 150, 0.3


class ClockSlip:
    """Looks at weights ``(2, partitions, bins)`` block by block."""

    def __init__(self, *, rate_hz: float, bins: int) -> None:
        per_bin = 0.5 * rate_hz / (bins - 1)
        self._band = slice(*(round(hz / per_bin) for hz in _BAND_HZ))
        self._radians = np.arange(bins)[self._band] * np.pi / (bins - 1)
        self._per_block = BLOCK_S * rate_hz
        self._before: deque[npt.NDArray[np.complex64]] = deque(maxlen=_BACK + 1)
        self._blocks = 0
        self.ppm = 0.0

    def moved(self) -> None:
        """The weights were moved by whole blocks: what was seen before counts no more."""
        self._before.clear()

    def see(self, weights: Single, *, known: bool) -> None:
        """After a block; ``known``: the way has not just changed."""
        self._blocks += 1
        if self._blocks % _EVERY:
            return
        now = weights[0, :, self._band] + 1j * weights[1, :, self._band]
        self._before.append(now.astype(np.complex64))
        if len(self._before) <= _BACK:
            return
        then = self._before[0]
        across = np.sum(now * then.conj(), axis=0)
        size, radians = np.abs(across), self._radians
        slipped = -float(size * np.angle(across) @ radians) / (float(size @ radians**2) + 1e-30)
        whole = float(np.sqrt(np.sum(np.abs(now) ** 2) * np.sum(np.abs(then) ** 2))) + 1e-30
        alike = float(np.abs(np.sum(across * np.exp(1j * radians * slipped)))) / whole
        ppm = 1e6 * slipped / (_BACK * _EVERY * self._per_block)
        if known and alike > _SURE and self._blocks > _SETTLE and abs(ppm) < MOST_PPM:
            self.ppm = float(np.clip(self.ppm + _GAIN * ppm, -MOST_PPM, MOST_PPM))
