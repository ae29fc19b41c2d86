"""A microphone of the system as a stream: whole blocks, never a backlog, never another device."""

from __future__ import annotations

import ctypes
import threading
import time
from collections import deque

import numpy as np
import numpy.typing as npt

from obsidian_wren.core.decibels import Samples
from obsidian_wren.devices.sound_server import libpulse
from obsidian_wren.devices.sound_server.libpulse import library
from obsidian_wren.service.ports import SourceGone

_PATIENCE_S = 3.0
_START_S = 5.0
# More than this waiting is a backlog: the oldest goes.
_MOST_BLOCKS = 3
_FLOAT_BYTES = 4


class Microphone:
    """Reads one source of the sound server; it is not moved to another one when that goes.

    ``gaps`` counts the times that sound was lost because nobody read it in time. Raises SourceGone
    where the source cannot be opened.
    """

    def __init__(self, name: str, *, rate_hz: int, channels: int, block_s: float = 0.01) -> None:
        self.name, self.rate_hz, self.channels = name, rate_hz, channels
        self.gaps = 0
        self.arrived_s = time.monotonic()
        self._most = _MOST_BLOCKS * round(block_s * rate_hz)
        self._pieces: deque[npt.NDArray[np.float32]] = deque()
        self._waiting = self._wanted = 0
        self._ready, self._asked, self._gone = False, False, ""
        self._there = threading.Condition()
        # The library calls these for as long as it runs: they must not be collected.
        self._on_state = libpulse.NOTIFY(self._state_changed)
        self._on_sound = libpulse.REQUEST(self._sound_came)
        pulse = library()
        self._loop = pulse.pa_threaded_mainloop_new()
        self._context = pulse.pa_context_new(
            pulse.pa_threaded_mainloop_get_api(self._loop), b"Obsidian Wren"
        )
        self._stream: int | None = None
        self._fragment = round(block_s * rate_hz) * channels * _FLOAT_BYTES
        pulse.pa_context_set_state_callback(self._context, self._on_state, None)
        pulse.pa_context_connect(self._context, None, libpulse.CONTEXT_NO_AUTOSPAWN, None)
        pulse.pa_threaded_mainloop_start(self._loop)
        with self._there:
            self._there.wait_for(lambda: self._ready or self._gone, _START_S)
        if not self._ready:
            why = self._gone or "the sound server did not answer"
            self.close()
            raise SourceGone(
                f"The microphone could not be opened: {why}. Check that it is plugged in, then try"
                " again."
            )

    def read(self, count: int) -> Samples:
        """Just ``count`` samples, ``(count,)`` or ``(count, channels)``, once they are there.

        Raises SourceGone when the microphone went away or sends nothing any more.
        """
        with self._there:
            self._asked, self._wanted = True, count
            end = time.monotonic() + _PATIENCE_S
            while self._waiting < count and not self._gone:
                if not self._there.wait(end - time.monotonic()):
                    self._gone = "it sent nothing for 3 s"
            if self._waiting < count:
                raise SourceGone(f"The microphone went away: {self._gone}. Plug it in again.")
            whole = np.concatenate(self._pieces)
            self._pieces.clear()
            self._pieces.append(whole[count:])
            self._waiting, self._wanted = len(whole) - count, 0
        block = whole[:count].astype(np.float64)
        return block[:, 0] if self.channels == 1 else block

    def close(self) -> None:
        """Let go of the source. Its thread ends before this returns."""
        pulse = library()
        if self._loop is None:
            return
        pulse.pa_threaded_mainloop_lock(self._loop)
        if self._stream is not None:
            pulse.pa_stream_disconnect(self._stream)
            pulse.pa_stream_unref(self._stream)
            self._stream = None
        pulse.pa_context_disconnect(self._context)
        pulse.pa_context_unref(self._context)
        pulse.pa_threaded_mainloop_unlock(self._loop)
        pulse.pa_threaded_mainloop_stop(self._loop)
        pulse.pa_threaded_mainloop_free(self._loop)
        self._loop = None
        with self._there:
            self._gone = self._gone or "it was closed"
            self._there.notify_all()

    # From here on: called by the library, in its own thread.

    def _state_changed(self, *_: object) -> None:
        pulse = library()
        context = pulse.pa_context_get_state(self._context)
        if context in (libpulse.CONTEXT_FAILED, libpulse.CONTEXT_TERMINATED):
            return self._end("the sound server went away")
        if context == libpulse.CONTEXT_READY and self._stream is None:
            return self._connect()
        if self._stream is not None:
            stream = pulse.pa_stream_get_state(self._stream)
            if stream in (libpulse.STREAM_FAILED, libpulse.STREAM_TERMINATED):
                said = pulse.pa_strerror(pulse.pa_context_errno(self._context)).decode()
                return self._end("it is no longer there" if self._ready else said.lower())
            if stream == libpulse.STREAM_READY:
                with self._there:
                    self._ready = True
                    self._there.notify_all()
        return None

    def _connect(self) -> None:
        pulse = library()
        spec = libpulse.SampleSpec(libpulse.SAMPLE_FLOAT32_NATIVE, self.rate_hz, self.channels)
        self._stream = pulse.pa_stream_new(self._context, b"microphone", ctypes.byref(spec), None)
        pulse.pa_stream_set_state_callback(self._stream, self._on_state, None)
        pulse.pa_stream_set_read_callback(self._stream, self._on_sound, None)
        none = libpulse.UNLIMITED
        asked = libpulse.BufferAttributes(none, none, none, none, self._fragment)
        flags = libpulse.STREAM_ADJUST_LATENCY | libpulse.STREAM_DONT_MOVE
        pulse.pa_stream_connect_record(self._stream, self.name.encode(), ctypes.byref(asked), flags)

    def _sound_came(self, *_: object) -> None:
        pulse, pieces = library(), []
        at, size = ctypes.c_void_p(), ctypes.c_size_t()
        while pulse.pa_stream_readable_size(self._stream) > 0:
            if pulse.pa_stream_peek(self._stream, ctypes.byref(at), ctypes.byref(size)) < 0:
                break
            if not size.value:
                break
            count = size.value // _FLOAT_BYTES
            # A hole has a length and no place.
            piece = (
                np.frombuffer(ctypes.string_at(at.value, size.value), dtype=np.float32)
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

    def _end(self, why: str) -> None:
        with self._there:
            self._gone = self._gone or why
            self._there.notify_all()
