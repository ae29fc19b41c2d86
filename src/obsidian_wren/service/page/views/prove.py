"""The evidence of Prove: blind series and checks."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel

SeriesKind = Literal["prefer", "which"]


class PairView(BaseModel):
    """What can be compared: ``second`` names the other of the pair."""

    second: str
    title: str


class RunningSeriesView(BaseModel):
    """A series that is answered: nothing here tells which of the two is which."""

    id: int
    kind: SeriesKind
    title: str
    question: str
    round: int
    rounds: int
    seconds: float
    loudness_lufs: float
    apart_lu: float


class SeriesView(BaseModel):
    """A series at its end. ``first``: how often the first of the pair was chosen or named, “no
    difference” counted half; chance alone lands from ``chance_low`` to ``chance_high`` in 95 of 100
    series. ``stage``: what can be left off when it is not heard."""

    id: int
    at: str
    kind: SeriesKind
    title: str
    rounds: int
    first: float
    same: int
    chance_low: int
    chance_high: int
    heard: bool
    sentence: str
    first_name: str
    stage: str | None
    leave_off: str | None


class MovedView(BaseModel):
    """One reading then and now."""

    name: str
    title: str
    then: float | None
    now: float | None
    unit: str
    moved: bool


class DriftCauseView(BaseModel):
    """Why something moved: the share of the change, from 0 to 1, and what to do."""

    code: str
    share: float
    sentence: str
    action: str


class DriftBandView(BaseModel):
    """One third octave of a check: what changed, what may differ anyway, what the causes do, and
    the room, dB."""

    hz: float
    change_db: float | None
    spread_db: float | None
    explained_db: float | None
    room_db: float | None


class CheckedView(BaseModel):
    """One check against the calibration of ``against``; ``keeps``: what one press would take over
    from it, None where nothing should be kept."""

    take_id: int
    at: str
    against: str
    drifted: bool
    causes: list[DriftCauseView]
    readings: list[MovedView]
    bands: list[DriftBandView]
    keeps: str | None


class ProvePart(BaseModel):
    """What Prove shows."""

    pairs: list[PairView]
    series: RunningSeriesView | None
    ended_series: list[SeriesView]
    checks: list[CheckedView]
