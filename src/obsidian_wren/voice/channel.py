"""One channel of a microphone of several, as a stream."""

from __future__ import annotations

from obsidian_wren.core.decibels import Samples
from obsidian_wren.ports.system_sound import LiveMicrophone


class OneChannel:
    """One channel of a microphone, counted from 0; its last one where it has not so many."""

    def __init__(self, microphone: LiveMicrophone, channel: int) -> None:
        self._microphone, self._channel = microphone, channel
        self.rate_hz = microphone.rate_hz

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
        if block.ndim == 1:
            return block
        return block[:, min(self._channel, block.shape[1] - 1)]

    def close(self) -> None:
        """Let go of the microphone."""
        self._microphone.close()
