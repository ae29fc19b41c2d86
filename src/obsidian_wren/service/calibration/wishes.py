"""What a person wants of the treated voice, from a file or the command line."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from obsidian_wren.service.words import RowId, Said


class BandValue(Said):
    """An equalizer band's numbers."""

    shape: Literal["peak", "low_shelf", "high_shelf"]
    frequency_hz: float = Field(ge=20, le=20_000)
    gain_db: float = Field(ge=-12, le=9)
    q: float = Field(ge=0.4, le=6)


PeakDbfs = Annotated[float, Field(ge=-60, le=0)]


class AimsBody(Said):
    """What the treated voice should land in."""

    loudness_lufs: float = Field(default=-18.0, ge=-40, le=-10)
    tolerance_lu: float = Field(default=1.0, ge=0.2, le=5)
    peaks_dbfs: tuple[PeakDbfs, PeakDbfs] = (-10.0, -5.0)
    ceiling_dbtp: float = Field(default=-3.0, ge=-20, le=-1)
    range_lu: float = Field(default=8.0, ge=2, le=30)
    most_lift_db: float = Field(default=6.0, ge=0, le=20)


class TasteBody(Said):
    """Broad moves, dB."""

    warmth_db: float = Field(default=0.0, ge=-5, le=5)
    body_db: float = Field(default=0.0, ge=-5, le=5)
    clarity_db: float = Field(default=0.0, ge=-5, le=5)
    air_db: float = Field(default=0.0, ge=-5, le=5)


class TargetBody(Said):
    """Which target the tone is fitted to; ``id`` is that of an imported one."""

    kind: Literal["by pitch", "lower voice", "higher voice", "reference take", "imported"] = (
        "by pitch"
    )
    id: RowId | None = None


class WishesBody(Said):
    """What a person wants of the treated voice; what is left out is as usual."""

    cut_weight: float = Field(default=0.8, ge=0.05, le=0.95)
    shape_percent: float | None = Field(default=None, ge=0, le=100)
    taste: TasteBody | None = None
    target: TargetBody | None = None
    aims: AimsBody | None = None
