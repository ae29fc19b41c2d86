"""Headphones or another output of the system: played to by its own clock, never another device."""

from __future__ import annotations

import ctypes

import numpy as np
import numpy.typing as npt

from obsidian_wren.core.decibels import Samples
from obsidian_wren.devices.sound_server import libpulse
from obsidian_wren.devices.sound_server.libpulse import library
from obsidian_wren.devices.sound_server.stream import FLAGS, FLOAT_BYTES, Stream

# What the server keeps of ours, and what may wait here before the oldest goes.
_THERE_S, _MOST_S = 0.02, 0.06
_SEEK_RELATIVE = 0


class SystemOutput(Stream):
    """Plays what is written; ``missed`` counts the times that there was nothing to play, ``asked``
    the samples that its clock asked for. Raises SourceGone where the output cannot be opened."""

    what = "output"

    def __init__(self, name: str, *, rate_hz: int, channels: int) -> None:
        super().__init__(name, rate_hz=rate_hz, channels=channels)
        self.missed = self.asked = 0
        self._begun = False
        self._held: npt.NDArray[np.float32] = np.zeros((0, channels), dtype=np.float32)
        self._open()

    @property
    def is_gone(self) -> bool:
        """Whether the output went away."""
        return bool(self._gone)

    @property
    def delay_s(self) -> float:
        """How long sound waits here and at the server, seconds."""
        return _THERE_S + len(self._held) / self.rate_hz

    def write(self, block: Samples) -> None:
        """The next ``(n, channels)`` samples; never waits. What is too much loses its oldest."""
        with self._there:
            both = np.concatenate([self._held, block.astype(np.float32)])
            self._held = both[-round(_MOST_S * self.rate_hz) :]
            self._begun = True

    # From here on: called by the library, in its own thread.

    def _connect(self, stream: int) -> None:
        pulse = library()
        pulse.pa_stream_set_write_callback(stream, self._on_sound, None)
        none = libpulse.UNLIMITED
        there = round(_THERE_S * self.rate_hz) * self.channels * FLOAT_BYTES
        asked = libpulse.BufferAttributes(none, there, 0, none, none)
        pulse.pa_stream_connect_playback(
            stream, self.name.encode(), ctypes.byref(asked), FLAGS, None, None
        )

    def _sound_wanted(self, stream: int, size: int, _: object) -> None:
        count = size // (FLOAT_BYTES * self.channels)
        with self._there:
            block, self._held = self._held[:count], self._held[count:]
            self.missed += self._begun and len(block) < count
            self.asked += count
        whole = np.zeros((count, self.channels), dtype=np.float32)
        whole[: len(block)] = block
        data = whole.tobytes()
        library().pa_stream_write(stream, data, len(data), None, 0, _SEEK_RELATIVE)
