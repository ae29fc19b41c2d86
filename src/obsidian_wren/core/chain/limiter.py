"""Look-ahead limiter whose ceiling holds between samples.

The needed gain is found on the signal interpolated four times (ITU-R BS.1770-5 annex 2), held over
the look-ahead, released exponentially and averaged over the look-ahead, so that it arrives at its
value just when the peak does (the usual look-ahead design: moving minimum, then moving average).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import ClassVar

import numpy as np
from numba import njit

from obsidian_wren.core.chain.stage import Numbers
from obsidian_wren.core.decibels import Samples, amplitude_db, amplitude_from_db
from obsidian_wren.core.measure.levels import between_bound, interpolate, interpolator, may_pass

_TAPS = 32
_PHASES = interpolator(4, _TAPS)[1:]
# Follows to 22.5 kHz at 48 kHz, a third of a decibel out at most; too dear for every sample.
_SHARP = interpolator(8, _TAPS, beta=3.0)[1:]
_BOUND = between_bound(np.concatenate([_PHASES, _SHARP]))
_LOOKAHEAD_S = 0.0015
# Four phases miss at most 0.12 dB of a peak at 20 kHz; the rest is for the gain's own movement.
_GUARD_DB = 0.3
_NEIGHBOURS = _TAPS // 2
# Close to Nyquist four phases are too few to see the wave between samples: where it bends so fast
# that it may be as many times higher, it is looked at closer.
_NEAR_NYQUIST = 1.35
# So many samples are looked at together: where none of them is loud, nothing between them is.
_LOOKED_AT = 64


@njit(cache=True, nogil=True, fastmath=True)
def _local_peaks(
    work: Samples, phases: Samples, sharp: Samples, value: Samples, peaks: Samples
) -> None:
    """Largest value at and just after each sample:

    ``work`` is ``taps − 1`` past samples and the block.
    """
    count, taps = phases.shape
    n = len(peaks)
    for i in range(n):
        peaks[i] = abs(work[i + taps // 2 - 1])
    for phase in range(count):
        interpolate(work, phases[phase], value)
        for i in range(n):
            peaks[i] = max(peaks[i], abs(value[i]))
    for i in range(n):
        at = i + taps // 2 - 1
        # Second difference: 1 for a full-scale alternation, 0.37 for a sine of 10 kHz at 48 kHz.
        bend = 0.25 * abs(2.0 * work[at] - work[at - 1] - work[at + 1])
        if _NEAR_NYQUIST * bend <= peaks[i]:
            continue
        for phase in range(sharp.shape[0]):
            total = 0.0
            for tap in range(taps):
                total += work[i + tap] * sharp[phase, tap]
            peaks[i] = max(peaks[i], abs(total))


@njit(cache=True, nogil=True, fastmath={"nnan", "nsz"})
def _highest(peaks: Samples) -> float:
    highest = 0.0
    for i in range(len(peaks)):
        highest = max(highest, peaks[i])
    return highest


@njit(cache=True, nogil=True)
def _gains(
    peaks: Samples,
    gains: Samples,
    ceiling: float,
    release: float,
    needed: Samples,
    smooth: Samples,
    memory: Samples,
) -> float:
    # memory: write positions in `needed` and `smooth`, released gain, running sum, lowest need and
    # its age
    window, span = len(needed), len(smooth)
    at_needed, at_smooth = int(memory[0]), int(memory[1])
    released, total, lowest, lowest_age = memory[2], memory[3], memory[4], int(memory[5])
    share = 1.0 / span
    deepest = 1.0
    if lowest == 1.0 and released == 1.0 and total == span and _highest(peaks) <= ceiling:
        # At rest, and nothing asks for less: whatever is remembered is one and stays one.
        gains[:] = 1.0
        memory[0] = (at_needed + len(peaks)) % window
        memory[1] = (at_smooth + len(peaks)) % span
        memory[5] = 0.0
        return deepest
    for i in range(len(peaks)):
        need = ceiling / peaks[i] if peaks[i] > ceiling else 1.0
        needed[at_needed] = need
        lowest_age += 1
        if need <= lowest:
            lowest, lowest_age = need, 0
        elif lowest_age >= window:
            lowest, lowest_age = 2.0, 0
            for age in range(window):
                at = at_needed - age
                if at < 0:
                    at += window
                if needed[at] < lowest:
                    lowest, lowest_age = needed[at], age
        if lowest < released:
            released = lowest
        else:
            released += (lowest - released) * release
            if released > 0.999999 and lowest == 1.0:
                released = 1.0
        total += released - smooth[at_smooth]
        smooth[at_smooth] = released
        at_smooth += 1
        if at_smooth == span:
            at_smooth = 0
            # Summed afresh once a round so that rounding never builds up.
            total = 0.0
            for k in range(span):
                total += smooth[k]
        gains[i] = min(1.0, total * share)
        deepest = min(deepest, gains[i])
        at_needed = at_needed + 1 if at_needed + 1 < window else 0
    memory[0], memory[1], memory[2], memory[3], memory[4], memory[5] = (
        at_needed,
        at_smooth,
        released,
        total,
        lowest,
        lowest_age,
    )
    return deepest


@njit(cache=True, nogil=True, fastmath={"nnan", "nsz"})
def _peaks_over(
    near: Samples,
    phases: Samples,
    sharp: Samples,
    bound: tuple[float, float, float],
    ceiling: float,
    peaks: Samples,
) -> None:
    """Raise ``peaks`` to the largest value at and just after each sample, where that can pass the
    ceiling; elsewhere they may stay lower."""
    taps = phases.shape[1]
    found, value = np.empty(_LOOKED_AT), np.empty(_LOOKED_AT)
    for first in range(0, len(peaks), _LOOKED_AT):
        last = min(first + _LOOKED_AT, len(peaks))
        if not may_pass(near[first : last + taps - 1], ceiling, bound):
            continue
        here = found[: last - first]
        _local_peaks(near[first : last + taps - 1], phases, sharp, value[: last - first], here)
        for i in range(first, last):
            peaks[i] = max(peaks[i], here[i - first])


@njit(cache=True, nogil=True)
def _limit(
    block: Samples,
    out: Samples,
    past: Samples,
    delay: int,
    phases: Samples,
    sharp: Samples,
    bound: tuple[float, float, float],
    ceiling: float,
    release: float,
    needed: Samples,
    smooth: Samples,
    memory: Samples,
) -> float:
    (count, channels), held, taps = block.shape, past.shape[1], phases.shape[1]
    work = np.empty((channels, held + count))
    peaks = np.zeros(count)
    for channel in range(channels):
        work[channel, :held] = past[channel]
        for i in range(count):
            work[channel, held + i] = block[i, channel]
        near = work[channel, held - taps + 1 :]
        _peaks_over(near, phases, sharp, bound, ceiling, peaks)
    gains = np.empty(count)
    deepest = _gains(peaks, gains, ceiling, release, needed, smooth, memory)
    for channel in range(channels):
        for i in range(count):
            out[i, channel] = work[channel, held - delay + i] * gains[i]
        past[channel] = work[channel, count:]
    return deepest


class LinkedLimiter:
    """Keeps the true peak of every channel under ``ceiling_dbtp``; ``release_s`` is the time to
    63 %.

    All channels get the gain that the highest of them needs, so that nothing moves to a side.
    """

    def __init__(
        self, *, channels: int, ceiling_dbtp: float, release_s: float, rate_hz: float
    ) -> None:
        span = max(8, round(_LOOKAHEAD_S * rate_hz))
        self.delay_samples = span + _NEIGHBOURS
        self.gain_db = 0.0
        self._ceiling = amplitude_from_db(ceiling_dbtp - _GUARD_DB)
        self._release = 1.0 - math.exp(-1.0 / (release_s * rate_hz))
        self._past = np.zeros((channels, self.delay_samples + _TAPS))
        self._needed = np.ones(span + _TAPS)
        self._smooth = np.ones(span)
        self._memory = np.array([0.0, 0.0, 1.0, float(span), 1.0, 0.0])

    @property
    def state(self) -> tuple[Samples, ...]:
        """The delayed sound ``(channels, n)``, the gains needed and the gains given, ``(n,)``."""
        return self._past, self._needed, self._smooth, self._memory

    def process(self, block: Samples) -> Samples:
        """Limit ``(n, channels)`` samples; the output lags by ``delay_samples``."""
        out = np.empty(block.shape)
        deepest = _limit(
            block,
            out,
            self._past,
            self.delay_samples,
            _PHASES,
            _SHARP,
            _BOUND,
            self._ceiling,
            self._release,
            self._needed,
            self._smooth,
            self._memory,
        )
        self.gain_db = amplitude_db(float(deepest))
        return out

    def gains_over(self, peaks: Samples) -> Samples:
        """The gains ``(n,)`` that peaks ``(n,)`` ask for, each a look-ahead late."""
        gains = np.empty_like(peaks)
        _gains(
            peaks,
            gains,
            self._ceiling,
            self._release,
            self._needed,
            self._smooth,
            self._memory,
        )
        return gains


class Limiter(LinkedLimiter):
    """A limiter of one channel, as a stage."""

    kind = "limiter"

    def __init__(self, *, ceiling_dbtp: float, release_s: float, rate_hz: float) -> None:
        super().__init__(
            channels=1, ceiling_dbtp=ceiling_dbtp, release_s=release_s, rate_hz=rate_hz
        )

    def process(self, block: Samples) -> Samples:
        """Limit ``(n,)`` samples; the output lags by ``delay_samples``."""
        return super().process(block.reshape(-1, 1)).reshape(-1)


@dataclass(frozen=True)
class LimiterSpec(Numbers):
    """True-peak limiter: ceiling in dBTP, release in ms to 63 %."""

    kind: ClassVar[str] = "limiter"
    ceiling_dbtp: float
    release_ms: float
    on: bool = True

    def build(self, *, rate_hz: float) -> Limiter:
        """The stage at a rate."""
        return Limiter(
            ceiling_dbtp=self.ceiling_dbtp, release_s=self.release_ms / 1000.0, rate_hz=rate_hz
        )


def limiter_gains(
    peaks: Samples, *, gain_db: float, ceiling_dbtp: float, release_s: float, rate_hz: float
) -> Samples:
    """The gains ``(n,)`` that a limiter would apply after ``gain_db``, aligned to the sound whose
    :func:`local_peaks` are given.

    Solving for a gain asks for this many times; the peaks, which cost most, stay the same but for a
    factor.
    """
    limiter = Limiter(ceiling_dbtp=ceiling_dbtp, release_s=release_s, rate_hz=rate_hz)
    behind = limiter.delay_samples - _NEIGHBOURS
    padded = np.concatenate([peaks * amplitude_from_db(gain_db), np.zeros(behind)])
    return limiter.gains_over(padded)[behind:]


def local_peaks(samples: Samples) -> Samples:
    """The interpolated peak at and just after each sample of ``(n,)``."""
    padded = np.concatenate([np.zeros(_TAPS // 2 - 1), samples, np.zeros(_TAPS // 2)])
    peaks = np.empty(len(samples))
    step = 4096
    for first in range(0, len(samples), step):
        out = peaks[first : first + step]
        near = padded[first : first + len(out) + _TAPS - 1]
        _local_peaks(near, _PHASES, _SHARP, np.empty(len(out)), out)
    return peaks
