"""The last seconds of a sound, by position since its beginning; one side writes, others look.

Source: by definition.
"""

from __future__ import annotations

import numpy as np

from obsidian_wren.core.decibels import Samples

# What is written over while somebody looks lies in this margin, which nobody is shown.
_MARGIN_S = 1.0


class Ring:
    """Keeps the last ``seconds`` of mono sound in single precision.

    Blocks are shorter than a second.
    """

    def __init__(self, *, seconds: float, rate_hz: float) -> None:
        self._shown = round(seconds * rate_hz)
        self._held = np.zeros(self._shown + round(_MARGIN_S * rate_hz), dtype=np.float32)
        self.position = 0

    def push(self, block: Samples) -> None:
        """The next ``(n,)`` samples."""
        size = len(self._held)
        at = self.position % size
        if at + len(block) <= size:
            self._held[at : at + len(block)] = block
        else:
            kept = block[-size:]
            at = (self.position + len(block) - len(kept)) % size
            first = min(len(kept), size - at)
            self._held[at : at + first] = kept[:first]
            self._held[: len(kept) - first] = kept[first:]
        self.position += len(block)

    def since(self, position: int) -> Samples:
        """The samples from a position on, ``(n,)``, as far as they are kept."""
        last, size = self.position, len(self._held)
        first = max(position, last - self._shown, 0)
        count = max(0, last - first)
        found = np.empty(count)
        at = first % size
        before_end = min(count, size - at)
        found[:before_end] = self._held[at : at + before_end]
        found[before_end:] = self._held[: count - before_end]
        return found

    def oldest(self) -> int:
        """The position of the oldest sample that is shown."""
        return max(0, self.position - self._shown)
