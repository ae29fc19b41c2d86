"""A plain delay: what keeps the dry sound beside the treated one, and stands in for a stage that is passed over."""

from __future__ import annotations

import numpy as np

from obsidian_wren.core.decibels import Samples


class Delay:
    """Gives back what came in ``delay_samples`` ago."""

    gain_db = None

    def __init__(self, delay_samples: int, *, kind: str = "delay") -> None:
        self.kind = kind
        self.delay_samples = delay_samples
        self._past = np.zeros(delay_samples)

    @property
    def state(self) -> tuple[Samples, ...]:
        """What has not left yet."""
        return (self._past,)

    def process(self, block: Samples) -> Samples:
        """Delay ``(n,)`` samples."""
        if not self.delay_samples:
            return block
        both = np.concatenate([self._past, block])
        self._past[:] = both[len(block) :]
        return both[: len(block)]
