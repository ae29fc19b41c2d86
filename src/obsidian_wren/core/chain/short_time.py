"""Short-time spectra with little delay: long analysis windows, short synthesis windows.

Mauler & Martin (2007), "A low delay, variable resolution, perfect reconstruction spectral
analysis-synthesis system for speech enhancement": the analysis window rises slowly over most of the
frame and falls at its end; analysis times synthesis window is a Hann window over the last part of
the frame only. Overlapped by half, these add up to one, so unit gains give the input back, later by
the length of that Hann window.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

import numpy as np
import numpy.typing as npt

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.kernel import kernel

Spectra = npt.NDArray[np.complex128]
FRAME_S = 0.0213
# What is put together at once where a stage weighs spectra of voice; stages that agree on it can
# work on the same frames.
SPECTRAL_DELAY_S = 0.008
# They stay in the cache of a core.
_FRAMES_AT_ONCE = 32
# Of a stream: the past, what waits for a whole hop, the tail of the last frame, what is ready, how
# much of either; the two windows.
Arrays = tuple[Samples, Samples, Samples, Samples, Samples, Samples, Samples]
Weigh = Callable[[Spectra], None]


class Carrier(Protocol):
    """A stage whose spectra another one can weigh too."""

    def let_weigh(self, behind: Weigh) -> None:
        """Let ``behind`` weigh what this stage has weighed."""
        ...


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
    later.

    ``short``: frames no longer than what is put together, for what lasts milliseconds.
    """

    def __init__(self, *, rate_hz: float, delay_s: float, short: bool = False) -> None:
        self.hop = max(1, round(delay_s * rate_hz / 2.0))
        self.length = 2 * self.hop if short else frame_samples(rate_hz)
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
        return self.arrays[:5]

    @property
    def arrays(self) -> Arrays:
        """What :func:`analysed` and :func:`put_together` work on."""
        return (
            self._past,
            self._waiting,
            self._tail,
            self._ready,
            self._counts,
            self.window,
            self._synthesis,
        )

    def parts(self, block: Samples) -> list[Samples]:
        """A block ``(n,)`` in parts whose frames fit into memory at once."""
        most = _FRAMES_AT_ONCE * self.hop
        if len(block) <= most:
            return [block]
        return [block[at : at + most] for at in range(0, len(block), most)]

    def process(self, block: Samples, weigh: Weigh) -> Samples:
        """Run ``(n,)`` samples; ``weigh`` is given spectra ``(frames, bins)`` in order and
        weighs them in place."""
        out = []
        for part in self.parts(block):
            bins = analysed(part, self.arrays)
            if len(bins):
                weigh(bins)
            out.append(put_together(bins, len(part), self.arrays))
        return out[0] if len(out) == 1 else np.concatenate(out)


def analysed(block: Samples, arrays: Arrays) -> Spectra:
    """Spectra ``(frames, bins)`` of the frames that a block ``(n,)`` completes."""
    return np.fft.rfft(_frames_of(block, arrays))


def both_analysed(
    one: Samples, other: Samples, of_one: Arrays, of_other: Arrays
) -> tuple[Spectra, Spectra]:
    """The same of two blocks ``(n,)`` at once, of streams in step."""
    frames = _frames_of(one, of_one)
    bins = np.fft.rfft(np.concatenate([frames, _frames_of(other, of_other)]))
    return bins[: len(frames)], bins[len(frames) :]


def put_together(bins: Spectra, count: int, arrays: Arrays) -> Samples:
    """``(count,)`` samples of what spectra ``(frames, bins)`` and the frames before them hold."""
    return _overlapped(np.fft.irfft(bins, len(arrays[5])), count, arrays)


@kernel("f8[:, ::1](f8[::1], UniTuple(f8[::1], 7))")
def _frames_of(block: Samples, arrays: Arrays) -> Samples:
    past, waiting, _, _, counts, window, _ = arrays
    hop, kept = len(waiting), int(counts[0])
    whole = (kept + len(block)) // hop
    counts[0] = left = kept + len(block) - whole * hop
    if whole == 0:
        waiting[kept : kept + len(block)] = block
        return np.empty((0, len(window)))
    sound = np.empty(len(past) + whole * hop)
    sound[: len(past)] = past
    sound[len(past) : len(past) + kept] = waiting[:kept]
    sound[len(past) + kept :] = block[: len(block) - left]
    frames = np.empty((whole, len(window)))
    for j in range(whole):
        frame, heard = frames[j], sound[j * hop : j * hop + len(window)]
        for i in range(len(window)):
            frame[i] = heard[i] * window[i]
    past[:] = sound[whole * hop :]
    waiting[:left] = block[len(block) - left :]
    return frames


@kernel("f8[::1](f8[:, ::1], i8, UniTuple(f8[::1], 7))")
def _overlapped(frames: Samples, count: int, arrays: Arrays) -> Samples:
    _, _, tail, ready, counts, window, synthesis = arrays
    hop, kept, whole = len(tail), int(counts[1]), len(frames)
    out = np.empty(kept + whole * hop)
    out[:kept] = ready[:kept]
    first = len(window) - 2 * hop
    for j in range(whole):
        at, frame = kept + j * hop, frames[j]
        leaving, rising, falling = out[at : at + hop], frame[first:], frame[first + hop :]
        for i in range(hop):
            leaving[i] = tail[i] + rising[i] * synthesis[i]
        for i in range(hop):
            tail[i] = falling[i] * synthesis[hop + i]
    counts[1] = len(out) - count
    ready[: len(out) - count] = out[count:]
    return out[:count]
