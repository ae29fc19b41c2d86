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

from obsidian_wren.core.chain.between_samples import BOUND, FOLDED, SHARP, raise_to_peaks
from obsidian_wren.core.chain.look_ahead import (
    NEIGHBOURS,
    TAPS,
    limiter_delay_samples,
    look_ahead_samples,
)
from obsidian_wren.core.chain.stage import Numbers
from obsidian_wren.core.decibels import Samples, amplitude_db, amplitude_from_db
from obsidian_wren.core.kernel import kernel
from obsidian_wren.core.measure.highest import BetweenBound, highest

# Four phases miss at most 0.12 dB of a peak at 20 kHz; the rest is for the gain's own movement.
GUARD_DB = 0.3


@kernel("f8(f8[::1], f8[::1], f8, f8, f8[::1], f8[::1], f8[::1])")
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
    if lowest == 1.0 and released == 1.0 and total == span and highest(peaks) <= ceiling:
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


@kernel(
    "f8(f8[:, ::1], f8[:, ::1], f8[:, ::1], i8, f8[:, ::1], f8[:, ::1], BetweenBound, f8, "
    "f8, f8[::1], f8[::1], f8[::1])"
)
def limit(
    planes: Samples,
    out: Samples,
    past: Samples,
    delay: int,
    folded: Samples,
    sharp: Samples,
    bound: BetweenBound,
    ceiling: float,
    release: float,
    needed: Samples,
    smooth: Samples,
    memory: Samples,
) -> float:
    """Limit ``planes`` ``(channels, n)`` into ``out`` ``(n, channels)`` with the arrays of a
    :class:`Limiter`, the past ``(channels, n)``; ``ceiling`` is an amplitude, full scale 1,
    ``release`` the share of the way in a sample. Gives the lowest gain, a ratio."""
    (channels, count), held = planes.shape, past.shape[1]
    work = np.empty((channels, held + count))
    peaks, gains = np.zeros(count), np.empty(count)
    for channel in range(channels):
        sound = work[channel]
        sound[:held] = past[channel]
        for i in range(count):
            sound[held + i] = planes[channel, i]
        past[channel] = sound[count:]
        raise_to_peaks(sound[held - TAPS + 1 :], folded, sharp, bound, ceiling, peaks)
    deepest = _gains(peaks, gains, ceiling, release, needed, smooth, memory)
    flat, first = out.reshape(out.size), held - delay
    if channels == 2:
        _put_both(flat, work[0, first:], work[1, first:], gains)
    else:
        _put_one(flat, out.shape[1], work[0, first:], gains)
    return deepest


# With a known distance in memory, several samples are written at once.
@kernel()
def _put_both(flat: Samples, left: Samples, right: Samples, gains: Samples) -> None:
    for i in range(len(gains)):
        flat[2 * i] = left[i] * gains[i]
        flat[2 * i + 1] = right[i] * gains[i]


@kernel()
def _put_one(flat: Samples, apart: int, sound: Samples, gains: Samples) -> None:
    if apart == 1:
        for i in range(len(gains)):
            flat[i] = sound[i] * gains[i]
    else:
        for i in range(len(gains)):
            flat[apart * i] = sound[i] * gains[i]


class Needs:
    """What limiters of one release in seconds remember at a rate, before the first sample: gains
    needed and given ``(n,)``, and the rest; ``release`` is the share of the way in a sample."""

    def __init__(self, *, release_s: float, rate_hz: float) -> None:
        span = look_ahead_samples(rate_hz)
        self.release = 1.0 - math.exp(-1.0 / (release_s * rate_hz))
        self.delay_samples = limiter_delay_samples(rate_hz)
        self.held = self.delay_samples + TAPS
        self.needed, self.given = np.ones(span + TAPS), np.ones(span)
        self.memory = np.array([0.0, 0.0, 1.0, float(span), 1.0, 0.0])


class Limiter:
    """``process(block)`` keeps the true peak under ``ceiling_dbtp``; ``release_s`` is the time
    to 63 %."""

    kind = "limiter"

    def __init__(self, *, ceiling_dbtp: float, release_s: float, rate_hz: float) -> None:
        needs = Needs(release_s=release_s, rate_hz=rate_hz)
        self.delay_samples = needs.delay_samples
        self.gain_db = 0.0
        self._ceiling = amplitude_from_db(ceiling_dbtp - GUARD_DB)
        self._release = needs.release
        self.fixed = (np.array([self._ceiling, self._release]),)
        self.move_to((np.zeros((1, needs.held)), needs.needed, needs.given, needs.memory))

    def move_to(self, state: tuple[Samples, ...]) -> None:
        """Go on with the memory in these arrays: the delayed sound ``(1, n)``, the gains needed
        and given ``(n,)``, and the rest."""
        self.state = state
        self._past, self._needed, self._given, self._memory = state

    def process(self, block: Samples) -> Samples:
        """Limit ``(n,)`` samples; the output lags by ``delay_samples``."""
        out = np.empty((len(block), 1))
        deepest = limit(
            block.reshape(1, -1),
            out,
            self._past,
            self.delay_samples,
            FOLDED,
            SHARP,
            BOUND,
            self._ceiling,
            self._release,
            self._needed,
            self._given,
            self._memory,
        )
        self.gain_db = amplitude_db(float(deepest))
        return out.reshape(-1)

    def gains_over(self, peaks: Samples) -> Samples:
        """The gains ``(n,)`` that ``(n,)`` peaks ask for, each later by the look-ahead."""
        gains = np.empty_like(peaks)
        state = (self._needed, self._given, self._memory)
        _gains(peaks, gains, self._ceiling, self._release, *state)
        return gains


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
    behind = limiter.delay_samples - NEIGHBOURS
    padded = np.concatenate([peaks * amplitude_from_db(gain_db), np.zeros(behind)])
    return limiter.gains_over(padded)[behind:]
