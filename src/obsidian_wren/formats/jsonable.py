"""Readings as plain JSON values: minus infinity, which JSON lacks, becomes null; levels are
rounded to 0.01 dB."""

from __future__ import annotations

import dataclasses
import math
from typing import Any

import numpy as np

from obsidian_wren.core.measure.readings import LevelReading, QuietReading, TalkReading
from obsidian_wren.core.measure.voice_spectrum import FineSpectrum

KEPT_APART = ("noise", "voice", "stretches_db")
_TWO_DIGITS_FROM = 0.1
_MANY = 8
_FLOATS = (float, np.float64)


def to_jsonable(value: Any) -> Any:
    """Turn dataclasses, arrays and floats into what JSON can hold."""
    if isinstance(value, FineSpectrum):
        return {"top_hz": value.top_hz, "cells": [float(f"{c:.6g}") for c in value.cells]}
    if dataclasses.is_dataclass(value) and not isinstance(value, type):
        return {f.name: to_jsonable(getattr(value, f.name)) for f in dataclasses.fields(value)}
    if isinstance(value, dict):
        return {key: to_jsonable(inner) for key, inner in value.items()}
    if isinstance(value, (list, tuple, np.ndarray)):
        numbers = _numbers(value)
        return [to_jsonable(inner) for inner in value] if numbers is None else numbers
    if isinstance(value, (np.integer, np.bool_)):
        return value.item()
    if isinstance(value, (float, np.floating)):
        number = float(value)
        if not math.isfinite(number):
            return None
        return round(number, 2) if abs(number) >= _TWO_DIGITS_FROM else round(number, 6)
    return value


def _numbers(values: Any) -> list[float | None] | None:
    """Many floats at once; None where these are something else."""
    if len(values) < _MANY or not all(type(value) in _FLOATS for value in values):
        return None
    array = np.asarray(values, dtype=np.float64)
    rounded = np.where(np.abs(array) >= _TWO_DIGITS_FROM, array.round(2), array.round(6)).tolist()
    finite = np.isfinite(array)
    if finite.all():
        return list(rounded)
    return [n if there else None for n, there in zip(rounded, finite, strict=True)]


def reading_json(
    reading: LevelReading | QuietReading | TalkReading, *, with_spectrum: bool = False
) -> dict[str, Any]:
    """A reading under the names of the command line; the fine spectrum only where it is asked
    for."""
    whole = to_jsonable(reading)
    if not with_spectrum:
        for name in KEPT_APART:
            whole.pop(name, None)
    return dict(whole)
