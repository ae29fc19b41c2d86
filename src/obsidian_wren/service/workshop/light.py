"""Sounds as they are held: 32 bits a sample, and counted.

A sample of a take has at most 24 bits, so nothing of it is lost; of what was rendered goes what
lies 150 dB under it.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Callable
from typing import Any

import numpy as np

# Shorter ones are numbers about sounds, not sounds.
_LONG = 1 << 15
_SMALL_BYTES = 256


def light(value: Any) -> Any:
    """A value with its long arrays of 64 bit numbers ``(n,)`` in 32 bits: an array, a tuple of
    arrays, or a record of either."""
    return _each(value, np.float64, np.float32)


def full(value: Any) -> Any:
    """What :func:`light` was given, as far as 32 bits hold it."""
    return _each(value, np.float32, np.float64)


def bytes_of(value: Any) -> int:
    """How much memory the long arrays of a value take, in bytes."""
    counted = _SMALL_BYTES

    def count(array: np.ndarray) -> np.ndarray:
        nonlocal counted
        counted += array.nbytes
        return array

    _arrays(value, count)
    return counted


def _each(value: Any, here: type, there: type) -> Any:
    return _arrays(value, lambda array: array.astype(there) if array.dtype == here else array)


def _arrays(value: Any, change: Callable[[np.ndarray], np.ndarray]) -> Any:
    """The value with each of its long arrays changed; the value itself where none was. Looked at
    are an array, a tuple of arrays, and a record of either."""
    if not dataclasses.is_dataclass(value) or isinstance(value, type):
        return _sounds(value, change)
    changes = {}
    for field in dataclasses.fields(value):
        part = getattr(value, field.name)
        new = _sounds(part, change)
        if new is not part:
            changes[field.name] = new
    return dataclasses.replace(value, **changes) if changes else value


def _sounds(value: Any, change: Callable[[np.ndarray], np.ndarray]) -> Any:
    if isinstance(value, np.ndarray):
        return change(value) if value.size >= _LONG else value
    if isinstance(value, tuple) and any(isinstance(part, np.ndarray) for part in value):
        return tuple(_sounds(part, change) for part in value)
    return value
