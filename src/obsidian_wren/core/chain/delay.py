"""A plain delay, which keeps the dry sound beside the treated one and stands in for a stage that
is passed over; and a soft start.

Source: by definition.
"""

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
        """What has not left yet. One array ``(n,)``."""
        return (self._past,)

    def process(self, block: Samples) -> Samples:
        """Delay ``(n,)`` samples."""
        if not self.delay_samples:
            return block
        both = np.concatenate([self._past, block])
        self._past[:] = both[len(block) :]
        return both[: len(block)]


class SoftStart:
    """Lets a sound begin over its first samples, then passes it unchanged."""

    kind = "soft start"
    delay_samples = 0
    gain_db = None

    def __init__(self, fade_samples: int) -> None:
        self._fade = fade_samples
        self._seen = np.zeros(1)

    @property
    def state(self) -> tuple[Samples, ...]:
        """How far it has come. One array ``(1,)``."""
        return (self._seen,)

    def process(self, block: Samples) -> Samples:
        """Fade ``(n,)`` samples in."""
        seen = int(self._seen[0])
        if seen >= self._fade:
            return block
        self._seen[0] = seen + len(block)
        return np.asarray(
            block * np.clip((np.arange(len(block)) + (1.0 + seen)) / self._fade, 0.0, 1.0)
        )
