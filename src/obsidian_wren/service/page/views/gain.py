"""Readings of talk, and the gain plan."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel

from obsidian_wren.service.page.views.quiet import FlatTopsView
from obsidian_wren.service.words import Control


class PitchView(BaseModel):
    """Pitch of the voice."""

    p5: float
    p50: float
    p95: float


class SoftClippingView(BaseModel):
    """A stage that gives way."""

    crest_loss_db: float
    from_dbfs: float
    third_harmonic_slope: float | None


class TalkView(BaseModel):
    """The talk reading."""

    duration_s: float
    peak_dbfs: float | None
    true_peak_dbtp: float | None
    active_level_dbfs: float | None
    activity: float
    loudness_lufs: float | None
    loudness_range_lu: float | None
    peaks_by_second_dbfs: list[float | None]
    flat_tops: FlatTopsView
    soft_clipping: SoftClippingView | None
    pitch_hz: PitchView | None
    snr_db: float | None
    histogram_dbfs: list[float]
    histogram_from_dbfs: float


class MoveView(BaseModel):
    """What to do with one gain control."""

    key: Control
    title: str
    unit: Literal["dB", "dial", "%", "switch"]
    start: float | None
    target: float | None
    change_db: float | None
    spoken: str
    because: str


class GainPlanView(BaseModel):
    """What to turn, and what follows."""

    moves: list[MoveView]
    change_db: float
    verdict: Literal["stay", "up", "down"]
    sentence: str
    because: str
    limit: str | None
    clipped_where: str | None
    sure_db: float | None
    certain: bool
    aim_dbfs: list[float]
    expected_peak_dbfs: float
    expected_talk_dbfs: float
    expected_loudest_dbfs: float | None
    expected_softest_dbfs: float | None
    expected_floor_dbfs: float | None
    expected_headroom_db: float
    expected_snr_db: float | None
    floor_assumed: bool
    quiet_predicted: str | None
    predicted: str | None
    stale: str | None
