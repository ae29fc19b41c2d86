"""What a check compares, as a part of a calibration file."""

from __future__ import annotations

import dataclasses
from typing import Annotated, Any

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from obsidian_wren.core.prove.sounding import VOICE_HZ, Sounding
from obsidian_wren.formats.jsonable import to_jsonable

NAME = "check"
_LISTS = ("voice_db", "voice_error_db", "noise_hz", "noise_db", "noise_error_db", "contour_db")
Level = Annotated[float, Field(ge=-400, le=400)]


class SoundingFile(BaseModel):
    """A sounding as a file keeps it; levels in dB."""

    model_config = ConfigDict(allow_inf_nan=False)
    rate_hz: float = Field(ge=4_000, le=400_000)
    seconds: float = Field(gt=0, le=100_000)
    active_level_dbfs: Level
    level_error_db: float = Field(ge=0, le=100)
    voice_db: list[Level] = Field(min_length=len(VOICE_HZ), max_length=len(VOICE_HZ))
    voice_error_db: list[Level] = Field(min_length=len(VOICE_HZ), max_length=len(VOICE_HZ))
    noise_hz: list[Annotated[float, Field(gt=1, le=200_000)]] = Field(min_length=3, max_length=60)
    noise_db: list[Level]
    noise_error_db: list[Level]
    floor_dbfs: Level
    floor_dbfs_a: Level
    hum_dbfs: Level | None
    mains_hz: float | None
    late_db: Level | None
    decay_s: float | None
    peaks_dbfs: Level
    range_db: Level
    pauses_over_db: Level
    silent_share: float = Field(ge=0, le=1)
    flat_tops: int = Field(ge=0)
    flat_level_dbfs: Level | None
    pitch_hz: float | None
    contour_db: list[Level] = Field(max_length=2000)
    grid: float | None
    between_dbfs: Level | None = None


def sounding_json(sounding: Sounding) -> dict[str, Any]:
    """A sounding as plain JSON values."""
    whole = dict(to_jsonable(sounding))
    # Finer than levels are told: a slider is known by it.
    whole["grid"] = None if sounding.grid is None else round(sounding.grid, 6)
    return whole


def read_sounding(kept: dict[str, Any]) -> Sounding:
    """A sounding out of JSON values. Raises ValueError where they are none."""
    file = SoundingFile.model_validate(kept)
    if not len(file.noise_hz) == len(file.noise_db) == len(file.noise_error_db):
        raise ValueError("its noise bands are not of one length")
    fields: dict[str, Any] = {
        field.name: np.array(value) if field.name in _LISTS else value
        for field in dataclasses.fields(Sounding)
        for value in [getattr(file, field.name)]
    }
    return Sounding(**fields)
