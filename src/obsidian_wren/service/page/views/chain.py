"""Stages and their settings."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel

from obsidian_wren.service.calibration.wishes import BandValue


class SettingView(BaseModel):
    """A setting of the chain: a number, or a band.

    A number goes from ``low`` to ``high``; one nudge moves it by ``step``.

    ``sure_db``: how far the voice under a band may be off.
    """

    stage: str
    name: str
    title: str
    low: float | None
    high: float | None
    step: float | None
    digits: int
    sure_db: float | None = None
    value: float | None
    band: BandValue | None
    unit: str
    derived: float | None
    derived_band: BandValue | None
    pinned: bool
    because: str


class KindName(BaseModel):
    """A kind of stage by its name."""

    kind: str
    title: str


class StageView(BaseModel):
    """One stage: whether it runs, what was derived, whether the person holds it, and under which
    step and leaf it is set.

    ``key`` names it in its chain; ``further``: a person added it; ``is_new``: it came with this
    version and is off until it is derived.
    """

    key: str
    kind: str
    title: str
    step: Literal["clean", "tone", "steady"]
    leaf: str
    on: bool
    derived_on: bool
    pinned: bool
    because: str
    is_new: bool
    further: bool
    switchable: bool
