"""A take in progress as the page shows it."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel

from obsidian_wren.service.words import Purpose, Source


class SteadyView(BaseModel):
    """How well a talk take is known so far."""

    active_level_dbfs: float
    active_error_db: float
    peak_dbfs: float
    peak_error_db: float
    spoken_s: float
    steady: bool


class ProgressView(BaseModel):
    """The take in progress."""

    purpose: Purpose
    source: Source
    seconds: float
    done_s: float
    level_dbfs: float | None
    peak_dbfs: float | None
    state: Literal["recording", "measuring"]
    until_steady: bool
    steady: SteadyView | None
