"""Numbers of a calibration file, where anything may stand instead."""

from __future__ import annotations

from typing import Any


def number(body: Any, name: str) -> float | None:
    """A number of a part by its name, None where there is none."""
    value = body.get(name) if isinstance(body, dict) else None
    return float(value) if isinstance(value, (int, float)) else None


def as_float(value: Any) -> float | None:
    """A number of a file as such, None where there is none."""
    return float(value) if isinstance(value, (int, float)) else None
