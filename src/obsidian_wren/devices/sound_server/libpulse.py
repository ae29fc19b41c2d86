"""The part of libpulse that carries sound out of the server and into it: a small binding.

The simple API of the library cannot forbid that a stream is moved to another device, and a blocking
reader keeps the backlog of its start for good; so this is the asynchronous one.

Source: the library's own header files, ``pulse/stream.h``, ``pulse/mainloop.h`` and
``pulse/thread-mainloop.h``.
"""

from __future__ import annotations

import ctypes
from ctypes import POINTER, c_char_p, c_int, c_size_t, c_uint8, c_uint32, c_void_p
from functools import cache
from typing import TypeVar

SAMPLE_FLOAT32_NATIVE = 5
STREAM_ADJUST_LATENCY, STREAM_DONT_MOVE, STREAM_NO_REMAP_CHANNELS = 0x2000, 0x0200, 0x0010
CONTEXT_NO_AUTOSPAWN = 0x0001
CONTEXT_READY, CONTEXT_FAILED, CONTEXT_TERMINATED = 4, 5, 6
STREAM_READY, STREAM_FAILED, STREAM_TERMINATED = 2, 3, 4
CONTEXT_ENDED = (CONTEXT_FAILED, CONTEXT_TERMINATED)
STREAM_ENDED = (STREAM_FAILED, STREAM_TERMINATED)
UNLIMITED = 0xFFFFFFFF
MOST_CHANNELS = 32
_MONO, _LEFT, _RIGHT, _AUX_0 = 0, 1, 2, 12


class SampleSpec(ctypes.Structure):
    """``pa_sample_spec``."""

    _fields_ = (("format", c_int), ("rate", c_uint32), ("channels", c_uint8))


class ChannelMap(ctypes.Structure):
    """``pa_channel_map``."""

    _fields_ = (("channels", c_uint8), ("map", c_int * MOST_CHANNELS))


def channel_map(channels: int) -> ChannelMap:
    """Channels by their number: the library knows positions for six at most, and gives no stream
    at all for more."""
    positions = {1: (_MONO,), 2: (_LEFT, _RIGHT)}.get(
        channels, range(_AUX_0, _AUX_0 + min(channels, MOST_CHANNELS))
    )
    return ChannelMap(channels, (c_int * MOST_CHANNELS)(*positions))


class BufferAttributes(ctypes.Structure):
    """``pa_buffer_attr``."""

    _fields_ = (
        ("maxlength", c_uint32),
        ("tlength", c_uint32),
        ("prebuf", c_uint32),
        ("minreq", c_uint32),
        ("fragsize", c_uint32),
    )


NOTIFY = ctypes.CFUNCTYPE(None, c_void_p, c_void_p)
REQUEST = ctypes.CFUNCTYPE(None, c_void_p, c_size_t, c_void_p)

_NAME = "libpulse.so.0"
_Library = TypeVar("_Library", bound=ctypes.CDLL)
# What each function gives and takes.
_FUNCTIONS: dict[str, tuple[object, tuple[object, ...]]] = {
    "pa_mainloop_new": (c_void_p, ()),
    "pa_mainloop_free": (None, (c_void_p,)),
    "pa_mainloop_get_api": (c_void_p, (c_void_p,)),
    "pa_mainloop_prepare": (c_int, (c_void_p, c_int)),
    "pa_mainloop_poll": (c_int, (c_void_p,)),
    "pa_mainloop_dispatch": (c_int, (c_void_p,)),
    "pa_mainloop_wakeup": (None, (c_void_p,)),
    "pa_threaded_mainloop_new": (c_void_p, ()),
    "pa_threaded_mainloop_free": (None, (c_void_p,)),
    "pa_threaded_mainloop_start": (c_int, (c_void_p,)),
    "pa_threaded_mainloop_stop": (None, (c_void_p,)),
    "pa_threaded_mainloop_lock": (None, (c_void_p,)),
    "pa_threaded_mainloop_unlock": (None, (c_void_p,)),
    "pa_threaded_mainloop_get_api": (c_void_p, (c_void_p,)),
    "pa_context_new": (c_void_p, (c_void_p, c_char_p)),
    "pa_context_connect": (c_int, (c_void_p, c_char_p, c_int, c_void_p)),
    "pa_context_disconnect": (None, (c_void_p,)),
    "pa_context_unref": (None, (c_void_p,)),
    "pa_context_get_state": (c_int, (c_void_p,)),
    "pa_context_errno": (c_int, (c_void_p,)),
    "pa_context_set_state_callback": (None, (c_void_p, NOTIFY, c_void_p)),
    "pa_stream_new": (
        c_void_p,
        (c_void_p, c_char_p, POINTER(SampleSpec), POINTER(ChannelMap)),
    ),
    "pa_stream_connect_record": (
        c_int,
        (c_void_p, c_char_p, POINTER(BufferAttributes), c_int),
    ),
    "pa_stream_connect_playback": (
        c_int,
        (c_void_p, c_char_p, POINTER(BufferAttributes), c_int, c_void_p, c_void_p),
    ),
    "pa_stream_set_write_callback": (None, (c_void_p, REQUEST, c_void_p)),
    "pa_stream_write": (c_int, (c_void_p, c_void_p, c_size_t, c_void_p, ctypes.c_int64, c_int)),
    "pa_stream_disconnect": (c_int, (c_void_p,)),
    "pa_stream_unref": (None, (c_void_p,)),
    "pa_stream_get_state": (c_int, (c_void_p,)),
    "pa_stream_set_state_callback": (None, (c_void_p, NOTIFY, c_void_p)),
    "pa_stream_readable_size": (c_size_t, (c_void_p,)),
    "pa_stream_peek": (c_int, (c_void_p, POINTER(c_void_p), POINTER(c_size_t))),
    "pa_stream_drop": (c_int, (c_void_p,)),
    "pa_strerror": (c_char_p, (c_int,)),
}


@cache
def library() -> ctypes.CDLL:
    """The library with the types of its functions. Raises OSError where it is not installed."""
    return _typed(ctypes.CDLL(_NAME))


@cache
def at_once() -> ctypes.PyDLL:
    """The same for calls that take no time and call nothing of ours: the interpreter is held for as
    long, since whoever lets go of it may get it back late."""
    return _typed(ctypes.PyDLL(_NAME))


def _typed(found: _Library) -> _Library:
    for name, (gives, takes) in _FUNCTIONS.items():
        function = getattr(found, name)
        function.restype, function.argtypes = gives, takes
    return found


def new_stream(
    pulse: ctypes.CDLL | ctypes.PyDLL, context: int, what: str, *, rate_hz: int, channels: int
) -> int | None:
    """A stream that is not connected yet; None where the library makes none of this kind, which may
    then not be asked for anything: it would end the program."""
    spec = SampleSpec(SAMPLE_FLOAT32_NATIVE, rate_hz, channels)
    found: int | None = pulse.pa_stream_new(
        context, what.encode(), ctypes.byref(spec), ctypes.byref(channel_map(channels))
    )
    return found


def is_there() -> bool:
    """Whether the library is installed."""
    try:
        library()
    except OSError:
        return False
    return True
