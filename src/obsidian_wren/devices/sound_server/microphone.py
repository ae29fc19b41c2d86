"""A microphone of the system as a stream: whole blocks, never a backlog, never another device."""

from __future__ import annotations

import ctypes

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.devices.arrivals import Arrivals
from obsidian_wren.devices.sound_server import libpulse
from obsidian_wren.devices.sound_server.libpulse import library
from obsidian_wren.devices.sound_server.stream import FLAGS, FLOAT_BYTES, Stream


class Microphone(Stream):
    """Reads one source of the sound server; it is not moved to another one when that goes.

    Raises SourceGone where the source cannot be opened.
    """

    what = "microphone"

    def __init__(
        self,
        name: str,
        *,
        rate_hz: int,
        channels: int,
        block_s: float = 0.01,
        patience_s: float | None = None,
    ) -> None:
        super().__init__(name, rate_hz=rate_hz, channels=channels)
        self._came = Arrivals(
            rate_hz=rate_hz, channels=channels, block_s=block_s, patience_s=patience_s
        )
        self._fragment = round(block_s * rate_hz) * channels * FLOAT_BYTES
        self._open()

    @property
    def gaps(self) -> int:
        """How often sound was lost because nobody read it in time."""
        return self._came.gaps

    @property
    def arrived_s(self) -> float:
        """When the last of it came, seconds of the monotonic clock."""
        return self._came.arrived_s

    def read(self, count: int) -> Samples:
        """Just ``count`` samples, ``(count,)`` or ``(count, channels)``, once they are there.

        Raises SourceGone when the microphone went away or sends nothing any more.
        """
        return self._came.read(count)

    def close(self) -> None:
        """Let go of it; who reads is told."""
        super().close()
        self._came.end(self._gone)

    # From here on: called by the library, in its own thread.

    def _connect(self, stream: int) -> None:
        pulse = library()
        pulse.pa_stream_set_read_callback(stream, self._on_sound, None)
        none = libpulse.UNLIMITED
        asked = libpulse.BufferAttributes(none, none, none, none, self._fragment)
        pulse.pa_stream_connect_record(stream, self.name.encode(), ctypes.byref(asked), FLAGS)

    def _sound_wanted(self, stream: int, size: int, _: object) -> None:
        pulse, pieces = library(), []
        at, came = ctypes.c_void_p(), ctypes.c_size_t()
        while pulse.pa_stream_readable_size(self._stream) > 0:
            if pulse.pa_stream_peek(self._stream, ctypes.byref(at), ctypes.byref(came)) < 0:
                break
            if not came.value:
                break
            count = came.value // FLOAT_BYTES
            # A hole has a length and no place.
            piece = (
                np.frombuffer(ctypes.string_at(at.value, came.value), dtype=np.float32)
                if at.value
                else np.zeros(count, dtype=np.float32)
            )
            pieces.append(piece.reshape(-1, self.channels))
            pulse.pa_stream_drop(self._stream)
        self._came.put(pieces)

    def _end(self, why: str) -> None:
        super()._end(why)
        self._came.end(why)
