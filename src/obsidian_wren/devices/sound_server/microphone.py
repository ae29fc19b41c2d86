"""A microphone of the system as a stream: whole blocks, never a backlog, never another device."""

from __future__ import annotations

import ctypes
import threading
import time
from typing import Any

import numpy as np
import numpy.typing as npt

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.wording import _
from obsidian_wren.devices.arrivals import Arrivals
from obsidian_wren.devices.sound_server import libpulse
from obsidian_wren.devices.sound_server.described import CLIENT
from obsidian_wren.devices.sound_server.libpulse import at_once, library
from obsidian_wren.devices.sound_server.stream import FLAGS, FLOAT_BYTES, unheard_of
from obsidian_wren.ports.world import SourceGone

_START_S = 5.0
# What the server keeps while nobody reads, beyond what the reader may be late.
_KEPT_S = 1.0


class ServerMicrophone:
    """Reads one source of the sound server; it is not moved to another one when that goes.

    Whoever reads serves the library as well: a thread of its own between the server and a reader
    that comes before other programs would not come before them itself. Raises SourceGone where the
    source cannot be opened.
    """

    def __init__(
        self,
        name: str,
        *,
        rate_hz: int,
        channels: int,
        block_s: float = 0.01,
        patience_s: float | None = None,
    ) -> None:
        self.name, self.rate_hz, self.channels = name, rate_hz, channels
        self._came = Arrivals(
            rate_hz=rate_hz,
            channels=channels,
            block_s=block_s,
            patience_s=patience_s,
            fetch=self._fetch,
        )
        self._block_s, self._kept_s = block_s, _KEPT_S + (patience_s or 0.0)
        self._fetched_s: float | None = None
        # Held by whoever serves the library; it knows no threads.
        self._serving = threading.Lock()
        self._ending, self._closing = threading.Lock(), False
        pulse = library()
        self._loop = pulse.pa_mainloop_new()
        self._context = pulse.pa_context_new(pulse.pa_mainloop_get_api(self._loop), CLIENT.encode())
        self._stream: int | None = None
        self._refused: str | None = None
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
        with self._ending:
            if self._closing:
                return
            self._closing = True
        pulse = library()
        self._came.end(_("it was closed"))
        # Whoever waits for sound waits no longer.
        pulse.pa_mainloop_wakeup(self._loop)
        with self._serving:
            if self._stream is not None:
                pulse.pa_stream_disconnect(self._stream)
                pulse.pa_stream_unref(self._stream)
            pulse.pa_context_disconnect(self._context)
            pulse.pa_context_unref(self._context)
            pulse.pa_mainloop_free(self._loop)

    def _open(self) -> None:
        at_once().pa_context_connect(self._context, None, libpulse.CONTEXT_NO_AUTOSPAWN, None)
        until_s = time.monotonic() + _START_S
        while (why := self._ended()) is None and not self._is_ready():
            left_s = until_s - time.monotonic()
            if self._refused is not None:
                continue
            if left_s <= 0.0:
                why = _("the sound server did not answer")
                break
            self._serve(left_s)
        if why is not None:
            self.close()
            raise SourceGone(
                _(
                    "The {what} could not be opened: {why}. Check that it is plugged in, then"
                    " try again.",
                    what="microphone",
                    why=why,
                )
            )

    def _is_ready(self) -> bool:
        pulse = at_once()
        if self._stream is not None:
            return bool(pulse.pa_stream_get_state(self._stream) == libpulse.STREAM_READY)
        if pulse.pa_context_get_state(self._context) == libpulse.CONTEXT_READY:
            self._connect()
        return False

    def _connect(self) -> None:
        pulse = at_once()
        self._stream = libpulse.new_stream(
            pulse, self._context, "microphone", rate_hz=self.rate_hz, channels=self.channels
        )
        if self._stream is None:
            self._refused = unheard_of(self.channels)
            return
        none = libpulse.UNLIMITED
        asked = libpulse.BufferAttributes(
            self._bytes(self._kept_s), none, none, none, self._bytes(self._block_s)
        )
        if (
            pulse.pa_stream_connect_record(
                self._stream, self.name.encode(), ctypes.byref(asked), FLAGS
            )
            < 0
        ):
            self._refused = self._said(pulse)

    def _bytes(self, seconds: float) -> int:
        return round(seconds * self.rate_hz) * self.channels * FLOAT_BYTES

    def _serve(self, most_s: float) -> None:
        """Wait for the server, at most so long, and take all that it has."""
        # Whoever waits lets go of the interpreter; what is there already comes packet by packet.
        if self._turn(library(), most_s):
            while self._turn(at_once(), 0.0):
                pass

    def _turn(self, waiting: ctypes.CDLL, most_s: float) -> bool:
        """One turn of the library's loop; whether there was anything to do."""
        pulse = at_once()
        return bool(
            pulse.pa_mainloop_prepare(self._loop, round(1e6 * most_s)) >= 0
            and waiting.pa_mainloop_poll(self._loop) >= 0
            and pulse.pa_mainloop_dispatch(self._loop) > 0
        )

    def _ended(self) -> str | None:
        """Why nothing more will come; None where more will."""
        pulse = at_once()
        if self._refused is not None:
            return self._refused
        if pulse.pa_context_get_state(self._context) in libpulse.CONTEXT_ENDED:
            return _("the sound server went away")
        if self._stream is None or (
            pulse.pa_stream_get_state(self._stream) not in libpulse.STREAM_ENDED
        ):
            return None
        if self._fetched_s is not None:
            return _("it is no longer there")
        return self._said(pulse)

    def _said(self, pulse: ctypes.PyDLL) -> str:
        return str(pulse.pa_strerror(pulse.pa_context_errno(self._context)).decode().lower())

    def _fetch(self, most_s: float) -> None:
        """Wait for more, and put what came."""
        with self._serving:
            if self._closing:
                return
            first = self._fetched_s is None
            away_s = 0.0 if self._fetched_s is None else time.monotonic() - self._fetched_s
            self._serve(most_s)
            pieces, holes = self._pieces()
            self._fetched_s = time.monotonic()
            # What sends has not ended.
            why = None if pieces else self._ended()
        if pieces and first:
            # What came before anybody asked is not missed.
            self._came.put(pieces[-1:])
        elif pieces:
            # What the server could keep no longer is lost without a word.
            self._came.put(pieces, after_loss=holes or away_s > self._kept_s)
        if why is not None:
            self._came.end(why)

    def _pieces(self) -> tuple[list[npt.NDArray[Any]], bool]:
        """What is there, and whether something of it is missing."""
        pulse = at_once()
        pieces: list[npt.NDArray[Any]] = []
        holes = False
        at, came = ctypes.c_void_p(), ctypes.c_size_t()
        while pulse.pa_stream_readable_size(self._stream) > 0:
            if pulse.pa_stream_peek(self._stream, ctypes.byref(at), ctypes.byref(came)) < 0:
                break
            if not came.value:
                break
            # A hole has a length and no place.
            holes = holes or not at.value
            piece = (
                np.frombuffer(ctypes.string_at(at.value, came.value), dtype=np.float32)
                if at.value
                else np.zeros(came.value // FLOAT_BYTES, dtype=np.float32)
            )
            pieces.append(piece.reshape(-1, self.channels))
            pulse.pa_stream_drop(self._stream)
        return pieces, holes
