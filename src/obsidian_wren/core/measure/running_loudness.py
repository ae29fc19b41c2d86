"""Integrated loudness of sound as it arrives, in memory that does not grow: blocks are counted by
their level (BS.1770-5).

The gates see each block as it is but for the relative gate, which sees the blocks within 0.02 LU of
it as one.

Source: ITU-R BS.1770-5, gated as EBU R 128.
"""

from __future__ import annotations

import numpy as np

from obsidian_wren.core.decibels import Samples, power_db
from obsidian_wren.core.measure.loudness import ABSOLUTE_GATE_LUFS, OFFSET_LU, RELATIVE_GATE_LU

_HOPS_PER_BLOCK = 4
_BIN_LU = 0.02
_BINS = round(100.0 / _BIN_LU)


class RunningLoudness:
    """``add`` the K-weighted mean square of each hop of 100 ms, summed over channels."""

    def __init__(self) -> None:
        self._last = np.zeros(0)
        self._counts = np.zeros(_BINS, dtype=np.int64)
        self._sums = np.zeros(_BINS)

    def add(self, hops: Samples) -> None:
        """The next ``(n,)`` hops."""
        known = np.concatenate([self._last, hops])
        self._last = known[-(_HOPS_PER_BLOCK - 1) :]
        if len(known) < _HOPS_PER_BLOCK:
            return
        blocks = np.lib.stride_tricks.sliding_window_view(known, _HOPS_PER_BLOCK).mean(axis=1)
        level = OFFSET_LU + power_db(np.maximum(blocks, 1e-30))
        heard = level > ABSOLUTE_GATE_LUFS
        places = np.minimum(((level[heard] - ABSOLUTE_GATE_LUFS) / _BIN_LU).astype(int), _BINS - 1)
        np.add.at(self._counts, places, 1)
        np.add.at(self._sums, places, blocks[heard])

    @property
    def lufs(self) -> float | None:
        """Integrated loudness of everything so far, None while nothing passed the gates."""
        there = self._counts > 0
        if not there.any():
            return None
        counts, sums = self._counts[there], self._sums[there]
        threshold = OFFSET_LU + power_db(float(sums.sum() / counts.sum())) + RELATIVE_GATE_LU
        passed = OFFSET_LU + power_db(sums / counts) > threshold
        return float(OFFSET_LU + power_db(float(sums[passed].sum() / counts[passed].sum())))
