"""The evidence of Clean."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel

from obsidian_wren.service.page.views.facts import FactView


class GateCountsView(BaseModel):
    """What the gate does to the real takes."""

    words: int
    beginnings_cut: int
    ends_cut: int
    room_let_through_s: float
    room_s: float
    clicks_let_through: int
    clicks: int


class GateEvidenceView(BaseModel):
    """Shares of time per decibel from −100 dBFS, as the gate hears it: words, the room, and of
    either the part that is likely enough to be speech (none where that does not count); and the
    counts."""

    speech: list[float]
    room: list[float]
    counts: GateCountsView
    speech_likely: list[float] = []
    room_likely: list[float] = []


class SpeechLossView(BaseModel):
    """The third octave of the voice that loses most."""

    centre_hz: float
    loss_db: float


class NoiseEvidenceView(BaseModel):
    """The floor at the listener, the profile of the noise, and what its reduction costs."""

    floor_dbfs_a: float | None
    floor_after_dbfs_a: float | None
    in_pauses_dbfs_a: float | None = None
    aim_dbfs_a: float
    hz: list[float]
    density_db: list[float]
    spread_db: list[float]
    loss: SpeechLossView | None
    restless_before_db: float | None
    restless_after_db: float | None


class OctaveDecayView(BaseModel):
    """Decay of one octave."""

    centre_hz: float
    decay_s: float
    range: Literal["T20", "T30"]


class RingView(BaseModel):
    """How the room rings."""

    octaves: list[OctaveDecayView]
    decay_s: float | None
    ring_share_db: float | None
    method: Literal["clap", "sweep", "speech ends"]


class HumLinesView(BaseModel):
    """The lines of the hum in the room at rest, without and with the canceller."""

    mains_hz: float
    drift_hz: float
    numbers: list[float]
    before_dbfs: list[float]
    after_dbfs: list[float]


class ClicksView(BaseModel):
    """The bursts of the room in use, without and with what takes them; and the share of the voice's
    time in which that acts."""

    at_s: list[float]
    before_dbfs: list[float]
    after_dbfs: list[float]
    seconds: float
    touched: float


class TakenView(BaseModel):
    """The A-weighted room before and behind a stage, and what the voice loses there."""

    rest_before_dbfs_a: float | None
    rest_after_dbfs_a: float | None
    in_use_before_dbfs_a: float | None
    in_use_after_dbfs_a: float | None
    speech_lost_db: float | None
    beginnings_lost_db: float | None
    clipped: int
    words: int
    facts: list[FactView] = []


class PlosiveView(BaseModel):
    """One burst of breath."""

    at_s: float
    length_s: float
    level_dbfs: float | None


class PlosiveEvidenceView(BaseModel):
    """The bursts, and the low band's level every step."""

    found: list[PlosiveView]
    levels_dbfs: list[float | None]
    step_s: float


class CleanView(BaseModel):
    """The evidence of Clean."""

    gate: GateEvidenceView | None
    noise_reduction: NoiseEvidenceView | None
    ring_reduction: RingView | None
    deplosive: PlosiveEvidenceView | None
    hum: HumLinesView | None = None
    clicks: ClicksView | None = None
    taken: dict[str, TakenView] = {}
    words: int
    seconds: float
    cut_weight: float
    facts: list[FactView] = []
    predicted: str | None = None
    stale: str | None = None
