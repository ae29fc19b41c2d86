"""Sounds as they are held: 32 bits a sample, and counted.

A sample of a take has at most 24 bits, so nothing of it is lost; of what was rendered goes what
lies 150 dB under it.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Callable
from typing import Any, cast

import numpy as np

# Shorter ones are numbers about sounds, not sounds.
_LONG = 1 << 15
_SMALL_BYTES = 256


class _Narrowed(np.ndarray):
    """An array in 32 bits that was one of 64."""


def light(value: Any) -> Any:
    """A value with its long arrays of 64 bit numbers ``(n,)`` in 32 bits: an array, a tuple of
    arrays, or a record of either, also within a record. The arrays of the value itself, which are
    its own, are rounded to as much."""

    def narrowed(held: np.ndarray) -> np.ndarray:
        if held.dtype != np.float64:
            return held
        new = held.astype(np.float32)
        held[...] = new
        return new.view(_Narrowed)

    return _arrays(value, narrowed)


def full(value: Any) -> Any:
    """What :func:`light` was given, as far as 32 bits hold it."""
    return _arrays(
        value, lambda held: np.array(held, np.float64) if isinstance(held, _Narrowed) else held
    )


def bytes_of(value: Any) -> int:
    """How much the long arrays of a value take, in bytes."""
    counted = _SMALL_BYTES

    def count(held: np.ndarray) -> np.ndarray:
        nonlocal counted
        counted += held.nbytes
        return held

    _arrays(value, count)
    return counted


def _arrays(value: Any, change: Callable[[np.ndarray], np.ndarray]) -> Any:
    """The value with each of its long arrays changed; the value itself where none was."""
    if isinstance(value, np.ndarray):
        return change(value) if value.size >= _LONG else value
    if isinstance(value, tuple):
        # What is said of a sound, word by word, is not looked through.
        if not any(isinstance(part, np.ndarray) for part in value):
            return value
        return tuple(_arrays(part, change) for part in value)
    if not dataclasses.is_dataclass(value) or isinstance(value, type):
        return value
    changes = {}
    for field in dataclasses.fields(value):
        part = getattr(value, field.name)
        new = _arrays(part, change)
        if new is not part:
            changes[field.name] = new
    return dataclasses.replace(cast("Any", value), **changes) if changes else value
