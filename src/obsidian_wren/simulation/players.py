"""What plays beside the voice, without end: music, a game, and a second microphone over a
zither."""

from __future__ import annotations

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.simulation import sounds


class Round:
    """Music or computer sound, round and round."""

    def __init__(self, kind: str, rate_hz: int) -> None:
        self._sound = sounds.music(rate_hz) if kind == "music" else sounds.computer_sound(rate_hz)
        self._rate_hz = rate_hz
        self._at = 0

    def read(self, count: int) -> Samples:
        """The next ``(count, 2)`` samples."""
        block = np.take(self._sound, np.arange(self._at, self._at + count), axis=0, mode="wrap")
        self._at = (self._at + count) % len(self._sound)
        return block

    def close(self) -> None:
        """Nothing to let go of."""

    def sample(self, seconds: float) -> Samples:
        """So much of it from its beginning ``(n, 2)``."""
        return self._sound[: round(seconds * self._rate_hz)]


class SecondMicrophone:
    """A zither on the deck, through a second input: plucked strings over a little hiss, hum of
    its cable and knocks of the deck."""

    def __init__(self, rate_hz: int) -> None:
        self.rate_hz = rate_hz
        self._sound = 0.4 * sounds.music(rate_hz).mean(axis=1) + sounds.deck(rate_hz)
        self._rng = np.random.default_rng(53)
        self._at = len(self._sound) // 3

    def read(self, count: int) -> Samples:
        """The next ``(count,)`` samples."""
        block = np.take(self._sound, np.arange(self._at, self._at + count), mode="wrap")
        self._at = (self._at + count) % len(self._sound)
        return np.asarray(block + self._rng.standard_normal(count) * 10.0 ** (-78.0 / 20.0))

    def close(self) -> None:
        """Nothing to let go of."""
