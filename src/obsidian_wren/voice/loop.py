"""A take that plays round and round, as the source of a run."""

from __future__ import annotations

import numpy as np

from obsidian_wren.core.decibels import Samples


def piece(sound: Samples, at: int, count: int) -> Samples:
    """``count`` samples from ``at`` on; silence past the end."""
    part = sound[at : at + count]
    return part if len(part) == count else np.concatenate([part, np.zeros(count - len(part))])


class Loop:
    """A take played round and round: the live source of someone who works from files."""

    def __init__(self, samples: Samples, rate_hz: int) -> None:
        self.rate_hz = rate_hz
        self._samples = samples
        self._at = 0

    def read(self, count: int) -> Samples:
        """The next samples, from the beginning again after the end."""
        block = np.take(self._samples, np.arange(self._at, self._at + count), mode="wrap")
        self._at = (self._at + count) % len(self._samples)
        return block

    def close(self) -> None:
        """Nothing to let go of."""
