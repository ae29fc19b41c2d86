"""What one parameter of a stage is: its name, unit, range and step.

A parameter's name is the name of the field of the stage's specification and of the setting in a
calibration file.
"""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Parameter:
    """One number of a stage. ``step`` is what one nudge moves it by; ``digits`` after the point
    are shown."""

    name: str
    title: str
    unit: str
    low: float
    high: float
    step: float
    digits: int = 1
