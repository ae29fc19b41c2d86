"""Sounds as they are held: 32 bits a sample, in memory or in a file that has no name, and counted.

A sample of a take has at most 24 bits, so nothing of it is lost; of what was rendered goes what
lies 150 dB under it. A file without a name is gone when nobody holds it any longer, whatever ends
the program.
"""

from __future__ import annotations

import dataclasses
import os
import tempfile
import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from pathlib import Path
from typing import Any, cast

import numpy as np

_WRITER = ThreadPoolExecutor(1, thread_name_prefix="aside")
# So many sounds may wait for a slow disk; then whoever makes more waits with them.
_WAITING = threading.BoundedSemaphore(6)
# Shorter ones are numbers about sounds, not sounds.
_LONG = 1 << 15
_SMALL_BYTES = 256


class _Nameless:
    """A file without a name: gone with whoever holds it."""

    def __init__(self, folder: Path) -> None:
        self._file = tempfile.TemporaryFile(dir=folder, buffering=0)  # noqa: SIM115
        self._end = 0

    def put(self, array: np.ndarray) -> _Away:
        at, self._end = self._end, self._end + array.nbytes
        return _Away(self, at, array)

    def write(self, at: int, array: np.ndarray) -> None:
        # A disk that is nearly full takes a part of it.
        if os.pwrite(self._file.fileno(), array.data.cast("B"), at) < array.nbytes:
            raise OSError("the disk is full")

    def read(self, at: int, count: int) -> np.ndarray:
        found = np.empty(count, np.float32)
        if os.preadv(self._file.fileno(), [found.data.cast("B")], at) < found.nbytes:
            raise OSError("a sound that was laid aside ends early")
        return found


class _Away:
    """An array ``(size,)`` of 32 bit numbers in a file, from a byte on. It is written behind the
    back of whoever laid it aside, in memory until then, and where the disk takes no more."""

    def __init__(self, file: _Nameless, at: int, array: np.ndarray) -> None:
        self.file, self._at, self.size, self.nbytes = file, at, array.size, array.nbytes
        self._array: np.ndarray | None = array
        _WAITING.acquire()
        self.tried = _WRITER.submit(self._write, array)

    def _write(self, array: np.ndarray) -> None:
        try:
            with suppress(OSError):
                self.file.write(self._at, array)
                self._array = None
        finally:
            _WAITING.release()

    def read(self) -> np.ndarray:
        array = self._array
        return self.file.read(self._at, self.size) if array is None else array


_Held = np.ndarray | _Away


def light(value: Any) -> Any:
    """A value with its long arrays of 64 bit numbers ``(n,)`` in 32 bits: an array, a tuple of
    arrays, or a record of either, also within a record."""
    return _arrays(value, lambda held: _in_32_bits(held) if _is_full(held) else held)


def laid_aside(value: Any, folder: Path) -> Any:
    """As :func:`light`, with those arrays in a file without a name in a folder; in memory where
    the disk takes no more."""
    try:
        file = _Nameless(folder)
        return _arrays(value, lambda held: file.put(_in_32_bits(held)) if _is_full(held) else held)
    except OSError:
        return light(value)


def full(value: Any) -> Any:
    """What :func:`light` or :func:`laid_aside` was given, as far as 32 bits hold it. Raises OSError
    where the disk fails."""

    def back(held: _Held) -> _Held:
        if isinstance(held, _Away):
            held = held.read()
        return held.astype(np.float64) if held.dtype == np.float32 else held

    return _arrays(value, back)


def bytes_of(value: Any) -> int:
    """How much the long arrays of a value take, in bytes."""
    counted = _SMALL_BYTES

    def count(held: _Held) -> _Held:
        nonlocal counted
        counted += held.nbytes
        return held

    _arrays(value, count)
    return counted


def _is_full(held: _Held) -> bool:
    return isinstance(held, np.ndarray) and held.dtype == np.float64


def _in_32_bits(held: Any) -> np.ndarray:
    return np.asarray(held.astype(np.float32))


def _arrays(value: Any, change: Callable[[_Held], _Held]) -> Any:
    """The value with each of its long arrays changed; the value itself where none was. Looked at
    are an array, a tuple of arrays, and a record of either, also within a record."""
    if isinstance(value, (_Away, type)) or not dataclasses.is_dataclass(value):
        return _sounds(value, change)
    changes = {}
    for field in dataclasses.fields(value):
        part = getattr(value, field.name)
        new = _sounds(part, change)
        if new is not part:
            changes[field.name] = new
    return dataclasses.replace(cast("Any", value), **changes) if changes else value


def _sounds(value: Any, change: Callable[[_Held], _Held]) -> Any:
    if isinstance(value, _Away):
        return change(value)
    if isinstance(value, np.ndarray):
        return change(value) if value.size >= _LONG else value
    if dataclasses.is_dataclass(value):
        return _arrays(value, change)
    if isinstance(value, tuple) and any(isinstance(part, _Held) for part in value):
        return tuple(_sounds(part, change) for part in value)
    return value
