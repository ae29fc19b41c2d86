"""Streams of PortAudio: blocks come and go in its own thread, and nothing is kept as a backlog."""

from __future__ import annotations

import threading
from typing import Any

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.wording import _
from obsidian_wren.devices.arrivals import Arrivals
from obsidian_wren.ports.world import SourceGone

_MOST_S = 0.06


class PortMicrophone(Arrivals):
    """One input. Raises SourceGone where it cannot be opened."""

    def __init__(
        self,
        library: Any,
        number: int,
        *,
        rate_hz: int,
        channels: int,
        block_s: float,
        patience_s: float | None = None,
    ) -> None:
        super().__init__(rate_hz=rate_hz, channels=channels, block_s=block_s, patience_s=patience_s)
        try:
            self._stream = library.InputStream(
                device=number,
                samplerate=rate_hz,
                channels=channels,
                blocksize=round(block_s * rate_hz),
                latency="low",
                callback=self._came,
                finished_callback=self._end,
            )
            self._stream.start()
        except Exception as error:
            raise SourceGone(
                _(
                    "The microphone could not be opened: {error}. Check that it is plugged in,"
                    " then try again.",
                    error=error,
                )
            ) from error

    def close(self) -> None:
        """Let go of it."""
        self._stream.close()
        self._end()

    def _came(self, block: Any, _frames: int, _time: Any, status: Any) -> None:
        lost = bool(status and status.input_overflow)
        self.put([np.array(block, dtype=np.float64).reshape(-1, self.channels)], after_loss=lost)

    def _end(self) -> None:
        self.end(_("it is no longer there"))


class PortOutput:
    """One output, played to by its own clock. Raises SourceGone where it cannot be opened."""

    def __init__(self, library: Any, number: int, *, rate_hz: int, channels: int) -> None:
        self.rate_hz, self.channels = rate_hz, channels
        self.missed = self.asked = 0
        self._ended = self._begun = False
        self._lock = threading.Lock()
        self._held: Any = np.zeros((0, channels), dtype=np.float32)
        try:
            self._stream = library.OutputStream(
                device=number,
                samplerate=rate_hz,
                channels=channels,
                latency="low",
                callback=self._wanted,
                finished_callback=self._end,
            )
            self._stream.start()
        except Exception as error:
            raise SourceGone(
                _(
                    "The output could not be opened: {error}. Check that it is plugged in, then"
                    " try again.",
                    error=error,
                )
            ) from error

    @property
    def is_gone(self) -> bool:
        """Whether it went away."""
        return self._ended

    @property
    def delay_s(self) -> float:
        """How long sound waits here, seconds."""
        return len(self._held) / self.rate_hz

    def write(self, block: Samples) -> None:
        """The next ``(n, channels)`` samples; never waits. What is too much loses its oldest."""
        with self._lock:
            both = np.concatenate([self._held, block.astype(np.float32)])
            self._held = both[-round(_MOST_S * self.rate_hz) :]
            self._begun = True

    def close(self) -> None:
        """Let go of it."""
        self._stream.close()
        self._ended = True

    def _wanted(self, out: Any, frames: int, _time: Any, status: Any) -> None:
        late = bool(status and status.output_underflow)
        with self._lock:
            block, self._held = self._held[:frames], self._held[frames:]
            # The device had nothing to play just before, or has too little now.
            self.missed += self._begun and (late or len(block) < frames)
            self.asked += frames
        out[:] = 0.0
        out[: len(block)] = block

    def _end(self) -> None:
        self._ended = True
