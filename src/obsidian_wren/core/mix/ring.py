"""The last seconds of a sound, by position since its beginning; one side writes, others look."""

from __future__ import annotations

import numpy as np

from obsidian_wren.core.decibels import Samples

# What is written over while somebody looks lies in this margin, which nobody is shown.
_MARGIN_S = 1.0


class Ring:
    """Keeps the last ``seconds`` of mono sound in single precision. Blocks are shorter than a second."""

    def __init__(self, *, seconds: float, rate_hz: float) -> None:
        self._shown = round(seconds * rate_hz)
        self._held = np.zeros(self._shown + round(_MARGIN_S * rate_hz), dtype=np.float32)
        self.position = 0

    def push(self, block: Samples) -> None:
        """The next ``(n,)`` samples."""
        size = len(self._held)
        kept = block[-size:]
        at = (self.position + len(block) - len(kept)) % size
        first = min(len(kept), size - at)
        self._held[at : at + first] = kept[:first]
        self._held[: len(kept) - first] = kept[first:]
        self.position += len(block)

    def since(self, position: int) -> Samples:
        """The samples from a position on, ``(n,)``, as far as they are kept."""
        last = self.position
        first = max(position, last - self._shown, 0)
        return self._held[np.arange(first, max(first, last)) % len(self._held)].astype(np.float64)

    def oldest(self) -> int:
        """The position of the oldest sample that is shown."""
        return max(0, self.position - self._shown)
