"""A stream of the sound server: its thread, its context, and how it ends; never moved to another
device."""

from __future__ import annotations

import threading

from obsidian_wren.core.wording import _, ngettext
from obsidian_wren.devices.sound_server import libpulse
from obsidian_wren.devices.sound_server.described import CLIENT
from obsidian_wren.devices.sound_server.libpulse import library
from obsidian_wren.ports.world import SourceGone

_START_S = 5.0
FLOAT_BYTES = 4
# Channels are told apart by their number, wherever the device says that they stand.
FLAGS = (
    libpulse.STREAM_ADJUST_LATENCY | libpulse.STREAM_DONT_MOVE | libpulse.STREAM_NO_REMAP_CHANNELS
)


def unheard_of(channels: int) -> str:
    """Why a device of so many channels cannot be opened."""
    return _(
        "the sound server’s library offers no stream of {channels}",
        channels=ngettext("{count} channel", "{count} channels", channels),
    )


class Stream:
    """Opened when it is made. Raises SourceGone where the device cannot be opened."""

    what = "device"

    def __init__(self, name: str, *, rate_hz: int, channels: int) -> None:
        self.name, self.rate_hz, self.channels = name, rate_hz, channels
        self._ready, self._gone = False, ""
        self._there = threading.Condition()
        # The library calls these for as long as it runs: they must not be collected.
        self._on_state = libpulse.NOTIFY(self._state_changed)
        self._on_sound = libpulse.REQUEST(self._sound_wanted)
        pulse = library()
        self._loop = pulse.pa_threaded_mainloop_new()
        self._context = pulse.pa_context_new(
            pulse.pa_threaded_mainloop_get_api(self._loop), CLIENT.encode()
        )
        self._stream: int | None = None

    def _open(self) -> None:
        pulse = library()
        pulse.pa_context_set_state_callback(self._context, self._on_state, None)
        pulse.pa_context_connect(self._context, None, libpulse.CONTEXT_NO_AUTOSPAWN, None)
        pulse.pa_threaded_mainloop_start(self._loop)
        with self._there:
            self._there.wait_for(lambda: self._ready or self._gone, _START_S)
        if not self._ready:
            why = self._gone or _("the sound server did not answer")
            self.close()
            raise SourceGone(
                _(
                    "The {what} could not be opened: {why}. Check that it is plugged in, then"
                    " try again.",
                    what=self.what,
                    why=why,
                )
            )

    def close(self) -> None:
        """Let go of it. Its thread ends before this returns."""
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
            self._gone = self._gone or _("it was closed")
            self._there.notify_all()

    # From here on: called by the library, in its own thread.

    def _state_changed(self, *_told: object) -> None:
        pulse = library()
        context = pulse.pa_context_get_state(self._context)
        if context in (libpulse.CONTEXT_FAILED, libpulse.CONTEXT_TERMINATED):
            return self._end(_("the sound server went away"))
        if context == libpulse.CONTEXT_READY and self._stream is None:
            self._stream = libpulse.new_stream(
                pulse, self._context, self.what, rate_hz=self.rate_hz, channels=self.channels
            )
            if self._stream is None:
                return self._end(unheard_of(self.channels))
            pulse.pa_stream_set_state_callback(self._stream, self._on_state, None)
            return self._connect(self._stream)
        if self._stream is not None:
            stream = pulse.pa_stream_get_state(self._stream)
            if stream in (libpulse.STREAM_FAILED, libpulse.STREAM_TERMINATED):
                error = pulse.pa_strerror(pulse.pa_context_errno(self._context)).decode()
                return self._end(_("it is no longer there") if self._ready else error.lower())
            if stream == libpulse.STREAM_READY:
                with self._there:
                    self._ready = True
                    self._there.notify_all()
        return None

    def _connect(self, stream: int) -> None:
        raise NotImplementedError

    def _sound_wanted(self, stream: int, size: int, _: object) -> None:
        raise NotImplementedError

    def _end(self, why: str) -> None:
        with self._there:
            self._gone = self._gone or why
            self._there.notify_all()
