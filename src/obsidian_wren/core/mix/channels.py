"""Blocks of one channel as such of several, and the other way round.

Source: by definition: the mean of the channels.
"""

from __future__ import annotations

import numpy as np

from obsidian_wren.core.decibels import Samples

_PAIR = 2
_MEAN_OF_PAIR = np.full(_PAIR, 1.0 / _PAIR)


def mono(block: Samples) -> Samples:
    """The ``(n,)`` mean of ``(n,)`` or ``(n, channels)`` samples; for blocks of a live run, where
    numpy's mean takes longer than the sums themselves."""
    if block.ndim == 1:
        return block
    if block.shape[1] == 1:
        return block[:, 0]
    if block.shape[1] == _PAIR:
        return np.asarray(block.dot(_MEAN_OF_PAIR))
    return np.asarray(block.mean(axis=1))


def wide(block: Samples, channels: int) -> Samples:
    """``(n,)`` or ``(n, 1 or 2)`` samples as ``(n, channels)``: one in each of them, or two folded
    to one."""
    found = block[:, None] if block.ndim == 1 else block
    if found.shape[1] == channels:
        return found
    return mono(found)[:, None] if channels == 1 else np.repeat(found, channels, axis=1)
