"""The evidence of Steady, and where the treated voice lands."""

from __future__ import annotations

from pydantic import BaseModel

from obsidian_wren.service.page.views.facts import FactView, OrderWarningView


class LevelEvidenceView(BaseModel):
    """How far phrases differ."""

    range_lu: float | None
    aim_lu: float
    stretches_dbfs: list[float | None]


class CompressorEvidenceView(BaseModel):
    """The transfer curve and what it foresees."""

    curve_in_dbfs: list[float]
    curve_out_dbfs: list[float]
    spread_db: float
    spread_after_db: float
    peaks_before_dbfs: float | None
    peaks_dbfs: float | None
    lift_db: float


class ColourEvidenceView(BaseModel):
    """What colour adds to a tone and after a click while it is on.

    Harmonics from the second on and the tones beside it in dB under the tone, None where nothing
    is added; arrivals as seconds after a click and dB under it.
    """

    tone_hz: float
    peak_dbfs: float
    harmonics_db: list[float | None]
    beside_db: float | None
    arrivals: list[list[float]]
    decay_s: float | None


class SteadyEvidenceView(BaseModel):
    """The evidence of the stages of Steady."""

    leveller: LevelEvidenceView | None
    compressor: CompressorEvidenceView | None
    colour: ColourEvidenceView | None = None


class DeliveryView(BaseModel):
    """What the feed will carry, against its aims.

    Levels: shares of speech per decibel from −60 to 0 dBFS, before and after.
    """

    aim_lufs: float
    tolerance_lu: float
    aim_peaks_dbfs: list[float]
    aim_range_lu: float
    aim_ceiling_dbtp: float
    aim_floor_dbfs_a: float
    aim_lift_db: float
    planned_lufs: float | None
    planned_true_peak_dbtp: float | None
    planned_peaks_dbfs: float | None
    planned_range_lu: float | None
    planned_floor_dbfs_a: float | None
    planned_beside_voice_dbfs_a: float | None = None
    lift_db: float | None
    raw_lufs: float | None
    limited_db: float | None
    delay_ms: float
    warnings: list[OrderWarningView]
    steady: SteadyEvidenceView
    levels_in: list[float]
    levels_out: list[float]
    facts: list[FactView] = []
    predicted: str | None = None
    stale: str | None = None
