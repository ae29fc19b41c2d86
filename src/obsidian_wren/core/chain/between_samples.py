"""How high a sound is at its samples and between them, where that can matter.

Source: ITU-R BS.1770-5 annex 2, four values a sample; what cannot pass a ceiling is not
interpolated, by the bound of :func:`obsidian_wren.core.measure.levels.between_bound`, or in single
precision only.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from obsidian_wren.core.chain.look_ahead import TAPS
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.kernel import kernel
from obsidian_wren.core.measure.highest import BetweenBound, highest
from obsidian_wren.core.measure.levels import between_bound, interpolator

# In double precision, or in single where that is enough.
_Floats = npt.NDArray[np.floating[Any]]
_Sums = tuple[Any, Any, Any]

PHASES = interpolator(4, TAPS)[1:]
# Follows to 22.5 kHz at 48 kHz, a third of a decibel out at most; too dear for every sample.
SHARP = interpolator(8, TAPS, beta=3.0)[1:]
BOUND = between_bound(np.concatenate([PHASES, SHARP]))
_NEARER, _FARTHER = PHASES[:, : TAPS // 2][:, ::-1], PHASES[:, TAPS // 2 :]
# The first phase is the third one backwards, the second is the same both ways. So samples at one
# distance on both sides are added for what the phases share, and subtracted for what they do not:
# rows of the first and third, even and odd, and of the second, ``(3, TAPS / 2)``.
FOLDED = np.ascontiguousarray(
    [
        0.5 * (_NEARER[0] + _FARTHER[0]),
        0.5 * (_NEARER[0] - _FARTHER[0]),
        _NEARER[1],
    ]
)
# Close to Nyquist four phases are too few to see the wave between samples: where it bends so fast
# that it may be as many times higher, it is looked at closer.
_NEAR_NYQUIST = 1.35
# Where a whole stretch is passed over, half as much again is allowed for.
_SURELY_NEAR_NYQUIST = 1.5 * _NEAR_NYQUIST
# So many samples are looked at together: where none of them is loud, nothing between them is.
_LOOKED_AT = 64
_AT_ONCE = 4096
# Whether any of them passes a ceiling is asked in single precision first, which is twice as fast;
# it is off by less than this.
_SURELY_BELOW = 1.0 - 1e-5


@kernel(fastmath=True)
def _with_pair(work: _Floats, at: int, k: int, folded: _Floats, sums: _Sums) -> _Sums:
    before, after = work[at + 15 - k], work[at + 16 + k]
    both = before + after
    return (
        sums[0] + folded[0, k] * both,
        sums[1] + folded[1, k] * (before - after),
        sums[2] + folded[2, k] * both,
    )


@kernel(fastmath=True)
def _with_four_pairs(work: _Floats, at: int, k: int, folded: _Floats, sums: _Sums) -> _Sums:
    sums = _with_pair(work, at, k, folded, sums)
    sums = _with_pair(work, at, k + 1, folded, sums)
    sums = _with_pair(work, at, k + 2, folded, sums)
    return _with_pair(work, at, k + 3, folded, sums)


@kernel("void(f8[::1], f8[:, ::1], f8[:, ::1], f8[::1])", fastmath=True)
def _local_peaks(work: Samples, folded: Samples, sharp: Samples, peaks: Samples) -> None:
    """Largest value at and just after each sample:

    ``work`` is ``TAPS − 1`` past samples and the block.
    """
    # Written out pair by pair, so that the compiler works on several samples at a time.
    for i in range(len(peaks)):
        sums = _with_four_pairs(work, i, 0, folded, (0.0, 0.0, 0.0))
        sums = _with_four_pairs(work, i, 4, folded, sums)
        sums = _with_four_pairs(work, i, 8, folded, sums)
        sums = _with_four_pairs(work, i, 12, folded, sums)
        # The higher of sum and difference of two numbers is the sum of their amounts.
        peaks[i] = max(abs(work[i + 15]), abs(sums[2]), abs(sums[0]) + abs(sums[1]))
    taps = sharp.shape[1]
    for i in range(len(peaks)):
        at = i + 15
        # Second difference: 1 for a full-scale alternation, 0.37 for a sine of 10 kHz at 48 kHz.
        bend = 0.25 * abs(2.0 * work[at] - work[at - 1] - work[at + 1])
        if _NEAR_NYQUIST * bend <= peaks[i]:
            continue
        for phase in range(sharp.shape[0]):
            total = 0.0
            for tap in range(taps):
                total += work[i + tap] * sharp[phase, tap]
            peaks[i] = max(peaks[i], abs(total))


@kernel(fastmath=True)
def _roughly_highest(work: _Floats, folded: _Floats, values: _Floats) -> float:
    """The highest of what :func:`_local_peaks` would find, or may have to look closer for."""
    near_nyquist, two = np.float32(0.25 * _SURELY_NEAR_NYQUIST), np.float32(2.0)
    nothing = (np.float32(0.0), np.float32(0.0), np.float32(0.0))
    for i in range(len(values)):
        sums = _with_four_pairs(work, i, 0, folded, nothing)
        sums = _with_four_pairs(work, i, 4, folded, sums)
        sums = _with_four_pairs(work, i, 8, folded, sums)
        sums = _with_four_pairs(work, i, 12, folded, sums)
        at = i + 15
        bend = near_nyquist * abs(two * work[at] - work[at - 1] - work[at + 1])
        values[i] = max(abs(work[at]), bend, abs(sums[2]), abs(sums[0]) + abs(sums[1]))
    return highest(values)


@kernel(
    "void(f8[::1], f8[:, ::1], f8[:, ::1], BetweenBound, f8, f8[::1])", fastmath={"nnan", "nsz"}
)
def raise_to_peaks(
    near: Samples,
    folded: Samples,
    sharp: Samples,
    bound: BetweenBound,
    ceiling: float,
    peaks: Samples,
) -> None:
    """Raise ``peaks`` ``(n,)`` to the largest value at and just after each sample, where that can
    pass the ceiling; elsewhere they may stay lower. ``near`` is ``TAPS − 1`` past samples and the
    block, both full scale 1."""
    if highest(near) * bound.amount <= ceiling:
        return
    found = np.empty(_LOOKED_AT)
    values, roughly_folded = np.empty(_LOOKED_AT, np.float32), folded.astype(np.float32)
    roughly = near.astype(np.float32)
    for first in range(0, len(peaks), _LOOKED_AT):
        last = min(first + _LOOKED_AT, len(peaks))
        part = near[first : last + TAPS - 1]
        rough_part, here = roughly[first : last + TAPS - 1], values[: last - first]
        if _roughly_highest(rough_part, roughly_folded, here) <= ceiling * _SURELY_BELOW:
            continue
        exact = found[: last - first]
        _local_peaks(part, folded, sharp, exact)
        for i in range(first, last):
            peaks[i] = max(peaks[i], exact[i - first])


def local_peaks(samples: Samples) -> Samples:
    """The interpolated peak at and just after each sample of ``(n,)``, full scale 1."""
    padded = np.concatenate([np.zeros(TAPS // 2 - 1), samples, np.zeros(TAPS // 2)])
    peaks = np.empty(len(samples))
    for first in range(0, len(samples), _AT_ONCE):
        out = peaks[first : first + _AT_ONCE]
        _local_peaks(padded[first : first + len(out) + TAPS - 1], FOLDED, SHARP, out)
    return peaks
