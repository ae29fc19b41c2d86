"""Readings of the room, and what makes its floor."""

from __future__ import annotations

from pydantic import BaseModel


class BandLevel(BaseModel):
    """A third octave."""

    centre_hz: float
    level_dbfs: float | None


class HarmonicView(BaseModel):
    """A line of a hum family."""

    hz: float
    level_dbfs: float | None


class HumView(BaseModel):
    """A hum family."""

    mains_hz: float
    level_dbfs: float | None
    harmonics: list[HarmonicView]
    drift_hz: float


class BuzzView(BaseModel):
    """A comb of lines."""

    spacing_hz: float
    lines: int
    low_hz: float
    high_hz: float
    level_dbfs: float | None
    a_weighted_dbfs: float | None
    mains: bool


class ToneLineView(BaseModel):
    """A steady tone."""

    hz: float
    level_dbfs: float | None
    prominence_db: float


class ClickLevelsView(BaseModel):
    """Percentiles of the clicks' peaks."""

    p10: float
    p50: float
    p90: float


class TransientsView(BaseModel):
    """Clicks."""

    count: int
    per_minute: float
    peak_dbfs: float | None
    levels_dbfs: ClickLevelsView | None
    third_octaves: list[BandLevel]
    a_weighted_without_dbfs: float | None


class TrendView(BaseModel):
    """How the level wanders."""

    db_per_minute: float
    error_db_per_minute: float | None
    sentence: str = ""


class DropoutsView(BaseModel):
    """Gaps."""

    count: int
    total_s: float
    longest_s: float
    share: float


class PercentilesView(BaseModel):
    """Levels of 10 ms frames."""

    p10: float | None
    p50: float | None
    p90: float | None
    p99: float | None


class FlatTopsView(BaseModel):
    """Clipping."""

    count: int
    level_dbfs: float | None


class QuietView(BaseModel):
    """The quiet reading."""

    duration_s: float
    rms_dbfs: float | None
    a_weighted_dbfs: float | None
    itu468_dbfs: float | None
    peak_dbfs: float | None
    spread_db: float
    trend: TrendView
    percentiles_dbfs: PercentilesView
    third_octaves: list[BandLevel]
    hum: HumView | None
    hum_sentence: str = ""
    tones: list[ToneLineView]
    buzz: list[BuzzView]
    transients: TransientsView
    flat_tops: FlatTopsView
    dc_offset: float
    rumble_dbfs: float | None
    grid_bits: int | None
    effective_bits: float | None
    dropouts: DropoutsView


class FloorPartView(BaseModel):
    """One part of the floor."""

    name: str
    level_dbfs: float | None
    a_weighted_dbfs: float | None


class SplitView(BaseModel):
    """Where the floor comes from."""

    gain_db: float
    parts: list[FloorPartView]
    dominant: str
    over_rest_db: float | None
    meaning: str
    missing: str | None
    predicted: str | None = None
    stale: str | None = None


class CauseView(BaseModel):
    """One cause, its evidence and its remedy."""

    code: str
    where: str
    take: str
    title: str
    evidence: str
    remedy: str
    lowers_db: float | None
    worth: str = ""
    spoils: bool
    complaint: bool


class CausesView(BaseModel):
    """Causes in the order of mending, and whether the floor is quiet enough as a whole."""

    causes: list[CauseView]
    enough: bool
    steady: bool
    stale: str | None = None
