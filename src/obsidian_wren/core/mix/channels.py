"""One channel of a block that may have several.

Source: by definition: the mean of the channels.
"""

from __future__ import annotations

from obsidian_wren.core.decibels import Samples

_PAIR = 2


def mono(block: Samples) -> Samples:
    """The ``(n,)`` mean of ``(n,)`` or ``(n, channels)`` samples; for blocks of a live run, where
    numpy's mean takes longer than the sums themselves."""
    if block.ndim == 1:
        return block
    if block.shape[1] == 1:
        return block[:, 0]
    return 0.5 * (block[:, 0] + block[:, 1]) if block.shape[1] == _PAIR else block.mean(axis=1)
