"""Whether a take is what the converter gave: the grid its samples sit on, gaps in it, and what
its channels say of each other.

Source: AES17 for word length; practice for gaps.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from obsidian_wren.core.decibels import AES17_OFFSET_DB, Samples, power_db
from obsidian_wren.core.kernel import kernel

_FINEST = 2.0**-23
_LOOK_AT = 30_000
_SHORTEST_GAP_S = 0.001
_STILL_SHARE = 0.98
_ON_GRID_SHARE = 0.9
_FINEST_STEPS = 1.5
_LEAST_ORDERS = 2.0
_SAME_RATIO = 1e-5


@dataclass(frozen=True)
class Dropouts:
    """Stretches of a millisecond or more in which the samples stand still:

    ``count``, all together, and the longest.
    """

    count: int
    total_s: float
    longest_s: float
    share: float


@kernel("UniTuple(i8, 3)(f8[::1], i8)")
def _gaps(samples: Samples, shortest: int) -> tuple[int, int, int]:
    count, total, longest, i, n = 0, 0, 0, 0, len(samples)
    while i < n:
        j = i + 1
        while j < n and samples[j] == samples[i]:
            j += 1
        if j - i >= shortest:
            count += 1
            total += j - i
            longest = max(longest, j - i)
        i = j
    return count, total, longest


def find_dropouts(samples: Samples, *, rate_hz: float) -> Dropouts:
    """Gaps in ``(n,)`` samples.

    On a coarse grid equal neighbours are common, so a gap must be far longer than chance makes
    them.
    """
    if len(samples) < 2:
        return Dropouts(0, 0.0, 0.0, 0.0)
    shortest = max(8, round(_SHORTEST_GAP_S * rate_hz))
    equal = samples[1:] == samples[:-1]
    # Gaps themselves are equal neighbours: the share is taken where the sound moves.
    blocks = (
        equal[: len(equal) // 64 * 64].reshape(-1, 64).mean(axis=1)
        if len(equal) >= 64
        else np.array([equal.mean()])
    )
    moving = blocks[blocks < _STILL_SHARE]
    # Nothing moves anywhere: that is no sound with gaps in it.
    share = float(np.median(moving)) if len(moving) else 1.0
    if share > _ON_GRID_SHARE:
        return Dropouts(0, 0.0, 0.0, 0.0)
    if share > 0.0:
        shortest = max(shortest, round(3.0 * np.log(len(samples)) / -np.log(min(share, 0.999))))
    count, total, longest = _gaps(samples, shortest)
    return Dropouts(int(count), total / rate_hz, longest / rate_hz, total / len(samples))


def _codes(samples: Samples) -> np.ndarray:
    """The 24-bit codes that occur, sorted, looked for in samples spread over the whole take."""
    every = max(1, len(samples) // _LOOK_AT)
    return np.unique(np.round(samples[::every] / _FINEST).astype(np.int32))


def grid_step(samples: Samples) -> float:
    """The distance between the values that ``(n,)`` samples take, as a share of full scale; 2⁻²³ or
    finer reads 2⁻²³.

    Sixteen-bit sound in a 24-bit file sits on every 256th value, also after a level control moved
    it.
    """
    values = _codes(samples)
    if len(values) < 2:
        return _FINEST
    if len(values) < 8:
        return float(np.diff(values).min()) * _FINEST
    # Every code is visited near the middle; further out only some are.
    middle = values[np.abs(values) <= np.percentile(np.abs(values), 50.0)].astype(float)
    gaps = np.diff(middle)
    if not len(gaps):
        return _FINEST
    step = float(np.median(gaps))
    orders = np.concatenate([[0.0], np.cumsum(np.round(gaps / step))])
    if step < _FINEST_STEPS or orders[-1] < _LEAST_ORDERS:
        return _FINEST
    # A wave that repeats itself has few values too, but they sit on no grid.
    slope, offset = np.polyfit(orders, middle, 1)
    if np.abs(middle - slope * orders - offset).max() > max(1.0, 0.1 * step):
        return _FINEST
    return float(slope) * _FINEST


def grid_bits(samples: Samples) -> int | None:
    """Bits of the grid that ``(n,)`` samples sit on, up to 24; None when too few values occur to
    tell."""
    if len(_codes(samples)) < 3:
        return None
    # A level control makes the steps smaller by less than it makes the bits fewer: 16.4 is still a
    # 16-bit grid.
    return int(1.05 - np.log2(grid_step(samples)))


def effective_bits(floor_dbfs: float) -> float | None:
    """Bits that stand over a noise floor: (−floor − 1.76) / 6.02, the usual figure of converters
    (IEEE 1241); None for silence."""
    return (-floor_dbfs - 1.76) / 6.02 if np.isfinite(floor_dbfs) else None


ChannelVerdict = Literal["one", "same", "inverted", "different"]


@dataclass(frozen=True)
class Channels:
    """What the channels of a sound say of each other.

    ``verdict``: ``one`` channel only or only one alive, ``same`` (fake stereo), ``inverted``
    copies, or ``different`` sounds; ``levels_dbfs``: AES17 level of each with its DC taken off;
    ``loudest`` counts from 1.
    """

    verdict: ChannelVerdict
    levels_dbfs: tuple[float, ...]
    loudest: int


def compare_channels(samples: Samples) -> Channels:
    """Compare the channels of ``(n,)`` or ``(n, channels)`` samples.

    The two loudest are the same when they differ by less than −50 dB.
    """
    if samples.ndim == 1:
        samples = samples[:, None]
    moved = samples - samples.mean(axis=0)
    power = np.mean(np.square(moved), axis=0)
    levels = tuple(float(v) for v in np.atleast_1d(power_db(power) + AES17_OFFSET_DB))
    order = np.argsort(-power)
    loudest = int(order[0]) + 1
    if samples.shape[1] < 2 or power[order[1]] <= 1e-9 * power[order[0]]:
        return Channels("one", levels, loudest)
    a, b = moved[:, order[0]], moved[:, order[1]]
    share = float(np.dot(a, b)) / max(float(np.dot(a, a)), 1e-30)
    left = float(np.mean(np.square(b - share * a))) / max(float(power[order[1]]), 1e-30)
    if left > _SAME_RATIO:
        return Channels("different", levels, loudest)
    return Channels("same" if share > 0 else "inverted", levels, loudest)
