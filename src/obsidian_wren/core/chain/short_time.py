"""Short-time spectra with little delay: long analysis windows, short synthesis windows.

Mauler & Martin (2007), "A low delay, variable resolution, perfect reconstruction spectral
analysis-synthesis system for speech enhancement": the analysis window rises slowly over most of the
frame and falls at its end; analysis times synthesis window is a Hann window over the last part of
the frame only. Overlapped by half, these add up to one, so unit gains give the input back, later by
the length of that Hann window.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import numpy.typing as npt
from numba import njit

from obsidian_wren.core.decibels import Samples

Spectra = npt.NDArray[np.complex128]
FRAME_S = 0.0213
_FRAMES_AT_ONCE = 256


def frame_samples(rate_hz: float) -> int:
    """The frame at a rate: the power of two nearest to 21 ms."""
    return 1 << round(float(np.log2(FRAME_S * rate_hz)))


def analysis_window(length: int, hop: int) -> Samples:
    """The analysis window ``(length,)`` for synthesis over the last ``2 · hop`` samples."""
    rise = np.sqrt(0.5 - 0.5 * np.cos(np.pi * (np.arange(length - hop) + 0.5) / (length - hop)))
    return np.concatenate([rise, _half_hann(hop)])


def _half_hann(hop: int) -> Samples:
    return np.sqrt(0.5 + 0.5 * np.cos(np.pi * (np.arange(hop) + 0.5) / hop))


class ShortTime:
    """Frames of a stream, changed by real gains per bin, put together again ``delay_samples``
    later."""

    def __init__(self, *, rate_hz: float, delay_s: float) -> None:
        self.length = frame_samples(rate_hz)
        self.hop = max(1, round(delay_s * rate_hz / 2.0))
        self.delay_samples = 2 * self.hop
        self.window = analysis_window(self.length, self.hop)
        hann = 0.5 - 0.5 * np.cos(2.0 * np.pi * (np.arange(2 * self.hop) + 0.5) / (2 * self.hop))
        self._synthesis = hann / self.window[-2 * self.hop :]
        self._past = np.zeros(self.length - self.hop)
        self._waiting = np.zeros(self.hop)
        self._tail = np.zeros(self.hop)
        self._ready = np.zeros(3 * self.hop)
        # How much is waiting for a whole hop, and how much is ready to leave; a frame gives what
        # came two hops before its end.
        self._counts = np.array([0.0, float(self.hop)])

    @property
    def state(self) -> tuple[Samples, ...]:
        """Everything carried from block to block. Each ``(n,)``."""
        return self._past, self._waiting, self._tail, self._ready, self._counts

    def process(self, block: Samples, weigh: Callable[[Spectra], None]) -> Samples:
        """Run ``(n,)`` samples; ``weigh`` is given spectra ``(frames, bins)`` in order and
        weighs them in place."""
        waiting, ready = int(self._counts[0]), int(self._counts[1])
        whole = (waiting + len(block)) // self.hop
        fresh = np.concatenate([self._waiting[:waiting], block])
        self._counts[0] = left = len(fresh) - whole * self.hop
        self._waiting[:left] = fresh[whole * self.hop :]
        out = np.concatenate([self._ready[:ready], np.empty(whole * self.hop)])
        if whole:
            sound = np.concatenate([self._past, fresh[: whole * self.hop]])
            for first in range(0, whole, _FRAMES_AT_ONCE):
                last = min(first + _FRAMES_AT_ONCE, whole)
                part = sound[first * self.hop : (last - 1) * self.hop + self.length]
                out[ready + first * self.hop : ready + last * self.hop] = self._frames(part, weigh)
            self._past[:] = sound[whole * self.hop :]
        kept = out[len(block) :]
        self._counts[1] = len(kept)
        self._ready[: len(kept)] = kept
        return out[: len(block)]

    def _frames(self, sound: Samples, weigh: Callable[[Spectra], None]) -> Samples:
        frames = np.empty(((len(sound) - self.length) // self.hop + 1, self.length))
        _cut(sound, self.window, self.hop, frames)
        bins = np.fft.rfft(frames, axis=1)
        weigh(bins)
        out = np.empty(len(frames) * self.hop)
        _overlap(np.fft.irfft(bins, self.length, axis=1), self._synthesis, self._tail, out)
        return out


@njit(cache=True, nogil=True)
def _cut(sound: Samples, window: Samples, hop: int, frames: Samples) -> None:
    for j in range(len(frames)):
        for i in range(len(window)):
            frames[j, i] = sound[j * hop + i] * window[i]


@njit(cache=True, nogil=True)
def _overlap(frames: Samples, synthesis: Samples, tail: Samples, out: Samples) -> None:
    hop = len(tail)
    first = frames.shape[1] - 2 * hop
    for j in range(len(frames)):
        for i in range(hop):
            out[j * hop + i] = tail[i] + frames[j, first + i] * synthesis[i]
            tail[i] = frames[j, first + hop + i] * synthesis[hop + i]
