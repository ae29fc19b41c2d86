"""Rig as the page shows it: the rig in hand, its things, its controls, what it should give."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel

from obsidian_wren.service.page.views.facts import FactView
from obsidian_wren.service.rig.fields import (
    InterfaceFields,
    MicrophoneFields,
    RigFields,
    RoomFields,
)
from obsidian_wren.service.words import Control


class MicrophoneView(MicrophoneFields):
    """A kept microphone with its response file."""

    id: int
    response_name: str | None
    response_points: list[list[float]]


class InterfaceView(InterfaceFields):
    """A kept interface."""

    id: int


class RoomView(RoomFields):
    """A kept room, and the noise that the newest resting take told of it."""

    id: int
    noise_dba: float | None


class ThingView(BaseModel):
    """Something in the simulated room that can be switched off."""

    name: str
    on: bool


class ControlView(BaseModel):
    """One gain control in signal order: where it stands, how far it goes, and what was learned
    of it."""

    key: Control
    title: str
    unit: Literal["dB", "dial", "%", "switch"]
    analogue: bool
    position: float | None
    low: float | None
    high: float | None
    step: float
    spoken: str
    db_per_unit: float | None
    error_db: float | None
    learned: list[list[float]]


class RigView(RigFields):
    """The rig in hand."""

    id: int
    absolute_gain: bool
    things: list[ThingView]


class RigName(BaseModel):
    """A rig that is kept."""

    id: int
    name: str
    made_of: str


class ContributionView(BaseModel):
    """A part of the expected floor."""

    name: str
    level_dba: float | None
    assumed: bool


class ImprovementView(BaseModel):
    """A change and what it gains in dB."""

    title: str
    gains_db: float
    because: str


class WarningView(BaseModel):
    """What will not work or will be heard."""

    code: str
    sentence: str


class OutlookView(BaseModel):
    """What the rig should give, and what takes told of it since."""

    talk_db_spl: float
    floor_dba: float
    expected_talk_db_spl: float
    expected_floor_dba: float
    talk_measured: bool
    floor_measured: bool
    contributions: list[ContributionView]
    voice_over_floor_db: float
    talk_dbfs: float | None
    floor_dbfs: float | None
    proximity_db: float
    direct_over_reverberant_db: float | None
    critical_distance_m: float | None
    decay_s: float | None
    facing: list[list[float]]
    off_axis_db: float
    improvements: list[ImprovementView]
    warnings: list[WarningView]
    facts: list[FactView]
