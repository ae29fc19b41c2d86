"""What the page sends. The answers are the views of the services."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field

from obsidian_wren.service.views import BandValue, Purpose, StepName


class Problem(BaseModel):
    """A refusal: a stable code and the sentence for the person."""

    code: str
    sentence: str


class Done(BaseModel):
    """It was done."""

    ok: bool = True


class StartTake(BaseModel):
    """Begin a take from the simulated rig."""

    purpose: Purpose
    seconds: float | None = Field(default=None, ge=1, le=600)


class StartBrowserTake(BaseModel):
    """Begin a take whose pieces follow. ``not_obeyed``: processing that the browser left on."""

    purpose: Purpose
    rate_hz: int
    seconds: float = Field(ge=1, le=600)
    not_obeyed: list[Literal["echo cancelling", "noise suppression", "auto gain"]] = []


class Began(BaseModel):
    """The id of the take that began."""

    take_id: str


class Piece(BaseModel):
    """Which piece of which take."""

    take_id: str = Field(pattern=r"^[0-9a-f]{12}$")
    number: int = Field(ge=0)


class StartRun(BaseModel):
    """Go live; ``rate_hz`` is that of the browser's microphone."""

    rate_hz: int | None = Field(default=None, ge=8000, le=192000)


class ById(BaseModel):
    """One row."""

    id: int


class HalfById(BaseModel):
    """One half take."""

    id: str = Field(pattern=r"^[0-9a-f]{12}$")


class TurnKnob(BaseModel):
    """Where the preamp is turned to."""

    gain_db: float = Field(ge=-20, le=90)


class ForStep(BaseModel):
    """A step."""

    step: StepName


class ChangeSetting(BaseModel):
    """Pin a setting to a value, or let it go."""

    stage: Literal["highpass", "equalizer", "gain", "limiter"]
    name: str = Field(max_length=40)
    value: float | None = None
    band: BandValue | None = None
    pinned: bool


class PickInput(BaseModel):
    """Another program picks an input."""

    destination: str = Field(max_length=80)
    picks: str = Field(max_length=120)


class Hear(BaseModel):
    """How to hear a take."""

    version: Literal["raw", "treated"] = "raw"
    matched: bool = True
