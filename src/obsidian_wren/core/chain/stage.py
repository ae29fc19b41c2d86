"""What a stage is, and what describes one.

To add a stage: one module with its specification and what runs it, one line in ``stages.py``, one in ``kinds.py``.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Protocol, Self

from obsidian_wren.core.decibels import Samples


class BadSetting(ValueError):
    """A setting that a stage needs is missing or impossible; the message continues “The stage … ”."""


class Stage(Protocol):
    """One processor: state inside, block in, block out, any block size the same output."""

    kind: str
    delay_samples: int

    def process(self, block: Samples) -> Samples:
        """Process ``(n,)`` samples."""
        ...


class StageSpec(Protocol):
    """A stage's settings, frozen: from names and values as a calibration holds them, to the stage that runs at a rate."""

    kind: ClassVar[str]

    @property
    def on(self) -> bool:
        """Whether the stage takes part."""
        ...

    def build(self, *, rate_hz: float) -> Stage:
        """The stage at a rate, with fresh state."""
        ...

    @classmethod
    def from_settings(cls, settings: Mapping[str, object], *, on: bool) -> Self:
        """Raises BadSetting."""
        ...


def number(settings: Mapping[str, object], name: str) -> float:
    """A setting that has to be a number. Raises BadSetting."""
    value = settings.get(name)
    if not isinstance(value, (int, float)):
        raise BadSetting(f"has no number “{name}”")
    return float(value)
