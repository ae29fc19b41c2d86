"""Steps, takes and undo as the page shows them."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel

from obsidian_wren.service.words import Purpose, Source, Status, StepName


class ChangeView(BaseModel):
    """What undo or redo would do."""

    title: str
    at: str


class StepView(BaseModel):
    """One step of the job."""

    name: StepName
    title: str
    status: Status
    why: str | None
    asks: str | None = None


class TakeView(BaseModel):
    """One take."""

    id: int
    purpose: Purpose
    seconds: float
    rate_hz: int
    taken_at: str
    source: Source
    half: bool
    fault: str | None
    notes: list[str]
    current: bool
    stale: str | None
    ended: str | None
    position: float | None


class OlderTakesView(BaseModel):
    """Older takes of a purpose, in the order in which they were taken."""

    takes: list[TakeView]


class HalfView(BaseModel):
    """A take that was cut off."""

    id: str
    purpose: Purpose
    seconds: float
    started_at: str


class PredictionView(BaseModel):
    """What physics says of a stale take's levels until it is made again."""

    voice_db: float
    room_db: float
    because: str
    known: bool


class WatchView(BaseModel):
    """Listening into the room while something is switched off or moved."""

    on: bool
    purpose: Literal["rest", "talk"] | None
