"""A microphone of the system as a stream: whole blocks, never a backlog, never another device."""

from __future__ import annotations

import ctypes
import time
from collections import deque

import numpy as np
import numpy.typing as npt

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.wording import worded
from obsidian_wren.devices.sound_server import libpulse
from obsidian_wren.devices.sound_server.libpulse import library
from obsidian_wren.devices.sound_server.stream import FLAGS, FLOAT_BYTES, Stream
from obsidian_wren.service.ports import SourceGone

_PATIENCE_S = 3.0
# More than this waiting is a backlog: the oldest goes.
_MOST_BLOCKS = 3


class Microphone(Stream):
    """Reads one source of the sound server; it is not moved to another one when that goes.

    ``gaps`` counts the times that sound was lost because nobody read it in time: more than three
    blocks of ``block_s`` waited, or more than ``patience_s``. Raises SourceGone where the source
    cannot be opened.
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
        self.gaps = 0
        self.arrived_s = time.monotonic()
        self._most = round(rate_hz * (patience_s or _MOST_BLOCKS * block_s))
        self._pieces: deque[npt.NDArray[np.float32]] = deque()
        self._waiting = self._wanted = 0
        self._asked = False
        self._fragment = round(block_s * rate_hz) * channels * FLOAT_BYTES
        self._open()

    def read(self, count: int) -> Samples:
        """Just ``count`` samples, ``(count,)`` or ``(count, channels)``, once they are there.

        Raises SourceGone when the microphone went away or sends nothing any more.
        """
        with self._there:
            self._asked, self._wanted = True, count
            end = time.monotonic() + _PATIENCE_S
            while self._waiting < count and not self._gone:
                if not self._there.wait(end - time.monotonic()):
                    self._gone = worded("it sent nothing for 3 s")
            if self._waiting < count:
                raise SourceGone(
                    worded("The microphone went away: {gone}. Plug it in again.", gone=self._gone)
                )
            whole = np.concatenate(self._pieces)
            self._pieces.clear()
            self._pieces.append(whole[count:])
            self._waiting, self._wanted = len(whole) - count, 0
        block = whole[:count].astype(np.float64)
        return block[:, 0] if self.channels == 1 else block

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
        with self._there:
            for piece in pieces:
                self._pieces.append(piece)
                self._waiting += len(piece)
            while self._waiting > self._most + self._wanted and len(self._pieces) > 1:
                self._waiting -= len(self._pieces.popleft())
                # What came before anybody asked is not missed.
                self.gaps += self._asked
            self.arrived_s = time.monotonic()
            self._there.notify_all()
