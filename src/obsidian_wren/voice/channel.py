"""One channel of a microphone of several, as a stream; and another one of the same sound."""

from __future__ import annotations

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.ports.system_sound import LiveMicrophone


class OneChannel:
    """One channel of a microphone, counted from 0; its last one where it has not so many."""

    def __init__(self, microphone: LiveMicrophone, channel: int) -> None:
        self._microphone, self._channel = microphone, channel
        self.rate_hz = microphone.rate_hz
        self._last = np.zeros((0, 1))

    @property
    def gaps(self) -> int:
        """How often sound was lost since nobody took it in time."""
        return self._microphone.gaps

    @property
    def arrived_s(self) -> float:
        """When the last of it came, seconds of the monotonic clock."""
        return self._microphone.arrived_s

    def read(self, count: int) -> Samples:
        """The next ``(count,)`` samples. Raises SourceGone."""
        block = self._microphone.read(count)
        self._last = block[:, None] if block.ndim == 1 else block
        return self.beside(self._channel)

    def beside(self, channel: int) -> Samples:
        """What another channel had in what was read last, ``(count,)``."""
        return self._last[:, min(channel, self._last.shape[1] - 1)]

    def close(self) -> None:
        """Let go of the microphone."""
        self._microphone.close()


class ChannelBeside:
    """Another channel of a microphone whose first reader is asked before this one, for as much."""

    def __init__(self, of: OneChannel, channel: int) -> None:
        self._of, self._channel = of, channel
        self.rate_hz = of.rate_hz

    def read(self, count: int) -> Samples:
        """The ``(count,)`` samples beside those that were read last."""
        return self._of.beside(self._channel)

    def close(self) -> None:
        """The first reader lets go of it."""
