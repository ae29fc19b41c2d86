"""The peak between samples of a short sound, by arrays alone: sooner there than what compiles."""

from __future__ import annotations

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.highest import BetweenBound

_CHUNK = 256
# Chunks that are interpolated at once: the first ones bound most of the others away.
_FIRST, _MOST = 8, 256


def highest_between(samples: Samples, phases: Samples, bound: BetweenBound) -> float:
    """Highest absolute value of ``(n,)`` samples and of what interpolators ``(p, taps)`` give
    between them.

    Chunks are gone through by how high they may come at the most, until none may come higher.

    Source: ITU-R BS.1770-5 annex 2; the bounds are those of
    :func:`~obsidian_wren.core.measure.levels.between_bound`.
    """
    taps = phases.shape[1]
    peak = float(np.abs(samples).max(initial=0.0))
    padded = np.zeros(-(-(len(samples) + taps) // _CHUNK) * _CHUNK + taps)
    padded[taps : taps + len(samples)] = samples
    chunks = np.lib.stride_tricks.sliding_window_view(padded, _CHUNK + taps)[::_CHUNK]
    chunks = chunks[bound.amount * np.abs(chunks).max(axis=1) > peak]
    most = _most(chunks, bound)
    order = np.argsort(-most)
    done, at_once = 0, _FIRST
    while done < len(order) and most[order[done]] > peak:
        near = chunks[order[done : done + at_once]]
        under = np.lib.stride_tricks.sliding_window_view(near, taps, axis=1)[:, :_CHUNK]
        peak = max(peak, float(np.abs(under @ phases.T).max()))
        done, at_once = done + at_once, min(2 * at_once, _MOST)
    return peak


def _most(chunks: Samples, bound: BetweenBound) -> Samples:
    """No less than what is between the samples of each chunk ``(k, n)``."""
    highest = np.abs(chunks).max(axis=1)
    bend = np.abs(chunks[:, :-2] - 2.0 * chunks[:, 1:-1] + chunks[:, 2:]).max(axis=1)
    energy = np.cumsum(np.pad(np.square(chunks), ((0, 0), (1, 0))), axis=1)
    under = energy[:, bound.taps :] - energy[:, : -bound.taps]
    # Sums of squares that are taken from each other are a little off.
    root = np.sqrt(under.max(axis=1) + 1e-9 * energy[:, -1])
    return np.asarray(np.minimum(highest * bound.share + bend * bound.bend, bound.energy * root))
