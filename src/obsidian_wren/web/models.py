"""What the page sends. The answers are the views of the services."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field

from obsidian_wren.service.said import RowId, Said
from obsidian_wren.service.views import BandValue, Control, KeptKind, Purpose, StepName

StageKind = Literal[
    "highpass", "deplosive", "noise_reduction", "ring_reduction", "gate", "equalizer", "lowpass", "deesser", "leveller", "compressor",
    "colour", "gain", "limiter",
]  # fmt: skip


class Problem(BaseModel):
    """A refusal: a stable code and the sentence for the person."""

    code: str
    sentence: str


class Done(BaseModel):
    """It was done. ``enough``: the take that a piece belongs to needs no more."""

    ok: bool = True
    enough: bool = False


class StartTake(Said):
    """Begin a take from the simulated rig."""

    purpose: Purpose
    seconds: float | None = Field(default=None, ge=1, le=300)
    position: float | None = Field(default=None, ge=-100, le=100)
    learns: Literal["preamp", "slider"] = "preamp"
    until_steady: bool = False


class StartBrowserTake(Said):
    """Begin a take whose pieces follow. ``not_obeyed``: processing that the browser left on."""

    purpose: Purpose
    rate_hz: int = Field(ge=1, le=10_000_000)
    seconds: float = Field(ge=1, le=300)
    not_obeyed: list[Literal["echo cancelling", "noise suppression", "auto gain"]] = Field(default=[], max_length=8)
    position: float | None = Field(default=None, ge=-100, le=100)
    learns: Literal["preamp", "slider"] = "preamp"
    until_steady: bool = False


class Began(BaseModel):
    """The id of the take that began."""

    take_id: str


class Piece(Said):
    """Which piece of which take."""

    take_id: str = Field(pattern=r"^[0-9a-f]{12}$")
    number: int = Field(ge=0, lt=2**31)


class StartRun(Said):
    """Go live; ``rate_hz`` is that of the browser's microphone."""

    rate_hz: int | None = Field(default=None, ge=8000, le=192000)


class ById(Said):
    """One row."""

    id: RowId


class HalfById(Said):
    """One half take."""

    id: str = Field(pattern=r"^[0-9a-f]{12}$")


class Turn(Said):
    """Where a control is turned to, in its own unit."""

    control: Control
    position: float = Field(ge=-100, le=100)


class Switch(Said):
    """Something in the simulated room is switched."""

    name: str = Field(max_length=80)
    on: bool


class OfKind(Said):
    """One kept thing."""

    kind: KeptKind
    id: RowId


class Named(Said):
    """A name."""

    name: str = Field(min_length=1, max_length=80)


class DeviceById(Said):
    """A sound device."""

    device_id: str = Field(max_length=80)


class NameDevice(DeviceById):
    """The person's own name for a device; null takes it away."""

    own_name: str | None = Field(default=None, max_length=80)


class ChangeDevice(DeviceById):
    """One thing of one device."""

    field: Literal["is_default", "enabled", "muted", "rate_hz", "bits", "slider_percent", "enhancements", "auto_gain"]
    value: float | bool


class StartWatch(Said):
    """Listen in; ``rate_hz`` is that of the browser's microphone."""

    purpose: Literal["rest", "talk"]
    rate_hz: int | None = Field(default=None, ge=8000, le=192000)


class WhatResponse(Said):
    """Which response to hand out."""

    what: Literal["microphone", "correction"]


class ForStep(Said):
    """A step."""

    step: StepName


class ChangeSetting(Said):
    """Pin a setting to a value, or let it go."""

    stage: StageKind
    name: str = Field(max_length=40)
    value: float | None = None
    band: BandValue | None = None
    pinned: bool


class PickInput(Said):
    """Another program picks an input."""

    picks: str = Field(max_length=120)


class LeftOut(Said):
    """``off`` names stages to leave out for once, parted by commas."""

    off: str = Field(default="", max_length=200)

    @property
    def left_out(self) -> tuple[str, ...]:
        """The stages to leave out."""
        return tuple(part for part in self.off.split(",") if part)


class Hear(LeftOut):
    """How to hear a take."""

    version: Literal["raw", "treated"] = "raw"
    matched: bool = True


class SwitchStage(Said):
    """Hold a stage on or off; null lets what was derived stand again."""

    kind: StageKind
    on: bool | None


class OrderStages(Said):
    """The stages in another order; empty for the usual one."""

    order: list[StageKind] = Field(max_length=20)


class TryGate(Said):
    """A threshold to try."""

    threshold_dbfs: float = Field(ge=-100, le=0)
    hysteresis_db: float | None = Field(default=None, ge=0, le=20)


class WhatExport(Said):
    """Which form of the equalizer to hand out, at a rate."""

    what: Literal["biquads", "impulse"]
    rate_hz: int = Field(default=48_000, ge=8_000, le=192_000)


class FramesOfTake(BaseModel):
    """What the picture shows while a take plays."""

    step_s: float
    bands_hz: list[float]
    level_dbfs: list[float | None]
    peak_dbfs: list[float | None]
    bands_dbfs: list[list[float | None]]
    gains_db: dict[str, list[float]]
