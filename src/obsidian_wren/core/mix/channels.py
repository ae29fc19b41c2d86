"""One channel of a block that may have several.

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
