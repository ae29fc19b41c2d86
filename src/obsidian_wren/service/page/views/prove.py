"""The evidence of Prove: blind series and checks."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel

SeriesKind = Literal["prefer", "which"]


class PairView(BaseModel):
    """What can be compared: ``second`` names the other of the pair, ``first`` is what the first is
    called."""

    second: str
    title: str
    first: str


class RunningSeriesView(BaseModel):
    """A series that is answered: nothing here tells which of the two is which."""

    id: int
    kind: SeriesKind
    title: str
    question: str
    round: int
    rounds: int
    seconds: float
    loudness_lufs: float | None
    apart_lu: float | None


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


class CheckedFeedView(BaseModel):
    """A listener that was proved before a check: its delay then and now, ms; ``proved`` whether it
    gets what is meant by its first marker since, with what that found; None before there is one."""

    listener: str
    then_ms: float | None
    now_ms: float | None
    proved: bool | None
    moved: bool
    found: str | None


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
    feeds: list[CheckedFeedView]
    keeps: str | None


class SaidView(BaseModel):
    """Something that was found: a title and a sentence."""

    title: str
    sentence: str


class TwoBarView(BaseModel):
    """One number of two microphones."""

    code: str
    title: str
    first: float | None
    second: float | None
    unit: str


class TwoBandView(BaseModel):
    """One third octave: the second microphone against the first, dB, None where unknown."""

    hz: float
    db: float | None
    error_db: float | None


class TwoView(BaseModel):
    """Two microphones: ``said`` begins with which to take. ``take_id``: the take of both at once,
    ``beside_id`` that of its second channel, None where two rigs are compared."""

    take_id: int | None
    beside_id: int | None
    first: str
    second: str
    better: Literal["first", "second"] | None
    said: list[SaidView]
    bars: list[TwoBarView]
    bands: list[TwoBandView]


class RigBesideView(BaseModel):
    """Another rig that can be compared with."""

    id: int
    name: str


class VersionView(BaseModel):
    """One version: ``step`` whose confirmation made it, empty where something else did;
    ``in_force``: whether the settings are the same now."""

    id: int
    number: int
    name: str
    note: str
    step: str
    at: str
    in_force: bool


class DifferingView(BaseModel):
    """One switch or setting that differs; ``setting`` is empty for the switch."""

    stage: str
    title: str
    setting: str
    first: str | None
    second: str | None


class PlannedView(BaseModel):
    """What both plan for the first feed."""

    title: str
    unit: str
    first: float | None
    second: float | None


class ComparedView(BaseModel):
    """Two versions: what differs, what they plan, and how the second's tone differs at ``hz``,
    dB."""

    settings: list[DifferingView]
    plans: list[PlannedView]
    hz: list[float]
    db: list[float]


class ComesView(BaseModel):
    """Something of a brought file that comes over as it is."""

    title: str
    value: str


class MeasuredHereView(BaseModel):
    """Something that is measured here instead: what the file says, what it is here, None before
    the takes."""

    title: str
    why: str
    then: float | None
    here: float | None
    unit: str


class BroughtView(BaseModel):
    """A calibration file that is looked at; ``missing``: the takes without which what is measured
    here is not known yet."""

    name: str
    title: str
    at: str
    microphone: str
    other_microphone: bool
    comes: list[ComesView]
    measured: list[MeasuredHereView]
    missing: list[str]


class ProvePart(BaseModel):
    """What Prove shows."""

    pairs: list[PairView]
    series: RunningSeriesView | None
    ended_series: list[SeriesView]
    checks: list[CheckedView]
    two: TwoView | None
    rigs_beside: list[RigBesideView]
    versions: list[VersionView]
    brought: BroughtView | None
