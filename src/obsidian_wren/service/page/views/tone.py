"""The evidence of Tone."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel

from obsidian_wren.service.page.views.facts import FactView


class SibilantView(BaseModel):
    """One hiss and its neighbours."""

    at_s: float
    length_s: float
    sort: Literal["s", "t"]
    frequency_hz: float
    level_db: float
    neighbours_db: float


class SibilanceEvidenceView(BaseModel):
    """The sibilants, and the band's level every step."""

    found: list[SibilantView]
    levels_dbfs: list[float | None]
    step_s: float


class ResonanceView(BaseModel):
    """A narrow place that stands out of the voice."""

    frequency_hz: float
    over_db: float


class KnownView(BaseModel):
    """One thing that tells of the rig, and how far the rig is known with it."""

    name: str
    given: bool
    uncertainty_db: float | None
    sentence: str


class ToneView(BaseModel):
    """The evidence of the fit at the points: the voice against its target, what of it the rig
    adds and how far that is known, the correction that was wanted and that the bands give, dB."""

    points_hz: list[float]
    deviation_db: list[float]
    rig_db: list[float]
    uncertainty_db: list[float]
    wanted_db: list[float]
    correction_db: list[float]
    corrected_db: list[float]
    average_db: list[float]
    trust: list[float]
    known: list[KnownView]
    residual_rms_db: float
    worst_db: float
    low_hz: float
    high_hz: float
    left_alone: str
    voiced_s: float
    target_name: str = "average speech"
    passages: int = 1
    remaining: FactView | None = None
    sibilants: SibilanceEvidenceView | None = None
    resonances: list[ResonanceView] = []


class TargetName(BaseModel):
    """An imported target."""

    id: int
    name: str
