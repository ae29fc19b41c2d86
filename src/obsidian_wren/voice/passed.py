"""What went through since it was asked last: level, peak, and how long sound had waited."""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.levels import peak_dbfs, rms_dbfs

# Where nobody asks, so many blocks are kept, the newest.
_MOST = 400


@dataclass(frozen=True)
class Passed:
    """Level and peak in dBFS (AES17), −∞ for silence; how long the sound of a block had been here
    when it was written, the median in ms, None where that is not known."""

    level_dbfs: float
    peak_dbfs: float
    waited_ms: float | None


class PassedBlocks:
    """Blocks are added by one thread and asked for by another."""

    def __init__(self) -> None:
        self._blocks = self._none()

    @staticmethod
    def _none() -> deque[tuple[Samples, float | None]]:
        return deque(maxlen=_MOST)

    def add(self, block: Samples, waited_s: float | None) -> None:
        """A block ``(n,)`` as it was sent, and how long its sound had been here."""
        self._blocks.append((block, waited_s))

    def take(self) -> Passed | None:
        """What went through since this was asked last; None for nothing."""
        blocks, self._blocks = self._blocks, self._none()
        if not blocks:
            return None
        sound = np.concatenate([block for block, _ in blocks])
        waited = [waited_s for _, waited_s in blocks if waited_s is not None]
        return Passed(
            rms_dbfs(sound),
            peak_dbfs(sound),
            1000.0 * float(np.median(waited)) if waited else None,
        )
