"""What a stage is, and what describes one.

To add a stage: one module here with its specification and what runs it, one with its rule in
``core/derive``, one record in ``kinds.py``.

Source: by definition; each stage names its own.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, ClassVar, Protocol, Self

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.wording import _

Row = tuple[float, ...]


class BadSetting(ValueError):
    """A setting that a stage needs is missing or impossible; the message continues “The stage …
    ”."""


class Stage(Protocol):
    """One processor: state inside, block in, block out, any block size the same output.

    ``state`` holds every array that a block changes, so that a stage with other settings can go on
    where this one stands.
    """

    kind: str
    delay_samples: int

    @property
    def state(self) -> tuple[Samples, ...]:
        """The arrays that are carried from block to block.

        Each ``(n,)`` or ``(frames, bins)``, as the stage says.
        """
        ...

    @property
    def gain_db(self) -> float | None:
        """The lowest gain that a dynamics stage applied in the last block, dB; None for stages
        that have none."""
        ...

    def process(self, block: Samples) -> Samples:
        """Process ``(n,)`` samples."""
        ...


class StageSpec(Protocol):
    """A stage's settings, frozen: from names and values as a calibration holds them, to the
    stage that runs at a rate."""

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
    """A setting that has to be a number. Raises BadSetting.

    In the parameter's own unit, such as dB or ms.
    """
    value = settings.get(name)
    if not isinstance(value, (int, float)):
        raise BadSetting(_("has no number “{name}”", name=name))
    return float(value)


def rows(settings: Mapping[str, object], name: str, *columns: tuple[float, float]) -> list[Row]:
    """A setting that has to be rows of numbers, each column within its range; the first column
    rises. Raises BadSetting."""
    value = settings.get(name)
    if not isinstance(value, (list, tuple)):
        raise BadSetting(_("has no “{name}”", name=name))
    if not value:
        return []
    if any(not isinstance(row, (list, tuple)) or len(row) != len(columns) for row in value):
        raise BadSetting(
            _("has “{name}” whose rows are not of {count}", name=name, count=len(columns))
        )
    table = np.array(value, dtype=np.float64)
    low, high = np.array(columns).T
    if not (np.all(table >= low) and np.all(table <= high)):
        raise BadSetting(_("has a number out of range in “{name}”", name=name))
    if np.any(np.diff(table[:, 0]) <= 0.0):
        raise BadSetting(_("has “{name}” with rows that do not rise", name=name))
    return [tuple(row) for row in table.tolist()]


@dataclass(frozen=True)
class Numbers:
    """The base of a specification whose fields are numbers, named as its settings are."""

    kind: ClassVar[str]

    @classmethod
    def from_settings(cls, settings: Mapping[str, object], *, on: bool) -> Self:
        """From one number per field. Raises BadSetting."""
        values: dict[str, Any] = {
            field.name: number(settings, field.name)
            for field in dataclasses.fields(cls)
            if field.name != "on"
        }
        return cls(**values | {"on": on})


def take_over(stage: Stage, before: Stage) -> None:
    """Let a stage go on where another of its kind stands, as far as their states have the same
    shape."""
    if stage.kind != before.kind or type(stage) is not type(before):
        return
    for mine, theirs in zip(stage.state, before.state, strict=True):
        if mine.shape == theirs.shape:
            mine[...] = theirs
