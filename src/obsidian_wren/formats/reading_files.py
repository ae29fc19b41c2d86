"""Readings as a calibration file holds them: the records of core, field by field, each number
within what a measurement can give.

The models are made of the records themselves, so that a reading that is added is one in the file as
well. A field may be missing (an older version did not measure it) or null (there was silence);
what no record has is passed over.
"""

from __future__ import annotations

import dataclasses
import types
import typing
from functools import cache
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import BaseModel, Field, create_model

from obsidian_wren.core.measure.readings import QuietReading, TalkReading
from obsidian_wren.core.prove.sounding import Sounding
from obsidian_wren.formats.jsonable import KEPT_APART
from obsidian_wren.formats.outside import FromOutside, Name

# What a double of any size can read in dB: a sample of 1e-45 is at −897 dBFS.
_LEVEL, _DIFFERENCE = (-1000.0, 100.0), (-1000.0, 1000.0)
# By how a name ends; the longest that fits counts.
_RANGES: dict[str, tuple[float, float]] = {
    "dbfs": _LEVEL,
    "dbfs_a": _LEVEL,
    "dbtp": _LEVEL,
    "lufs": _LEVEL,
    "db": _DIFFERENCE,
    "lu": _DIFFERENCE,
    "db_per_minute": (-1e6, 1e6),
    "hz": (0.0, 400_000.0),
    "s": (0.0, 100_000.0),
    "bits": (0.0, 64.0),
    "percent": (0.0, 100.0),
}
_OTHER = (-1e12, 1e12)
_MOST = 10_000
LevelDb = Annotated[float, Field(ge=_LEVEL[0], le=_LEVEL[1])]
DifferenceDb = Annotated[float, Field(ge=_DIFFERENCE[0], le=_DIFFERENCE[1])]
Hz = Annotated[float, Field(ge=0, le=400_000)]


def _range_of(name: str, inherited: tuple[float, float] | None) -> tuple[float, float]:
    parts = name.split("_")
    for length in (3, 2, 1):
        found = _RANGES.get("_".join(parts[-length:])) if len(parts) > length else None
        if found is not None:
            return found
    # The parts of a record are in its unit: p10 of percentiles_dbfs.
    return _RANGES.get(name) or inherited or _OTHER


@cache
def file_model(record: type[Any], inherited: tuple[float, float] | None = None) -> type[BaseModel]:
    """The model of a frozen record of core, whose field names carry their units."""
    hints = typing.get_type_hints(record)
    fields: dict[str, Any] = {}
    for field in dataclasses.fields(record):
        if field.name in KEPT_APART:
            continue
        number = _range_of(field.name, inherited)
        fields[field.name] = (_in_file(hints[field.name], number) | None, None)
    return create_model(f"{record.__name__}File", __base__=FromOutside, **fields)


def _in_file(hint: Any, number: tuple[float, float]) -> Any:
    origin, arguments = typing.get_origin(hint), typing.get_args(hint)
    if origin in (typing.Union, types.UnionType):
        return _in_file(next(one for one in arguments if one is not type(None)), number)
    if hint in (float, int):
        return Annotated[float, Field(ge=number[0], le=number[1])]
    if hint is bool:
        return bool
    if hint is str or origin is Literal:
        return Name
    if hint is np.ndarray or origin is np.ndarray:
        return _many(Annotated[float, Field(ge=number[0], le=number[1])] | None)
    if origin is tuple:
        return _many(_in_file(arguments[0], number) | None)
    if dataclasses.is_dataclass(hint):
        return file_model(typing.cast("Any", hint), number)
    raise TypeError(f"no form in a file for {hint}")


def _many(each: Any) -> Any:
    return Annotated[list[each], Field(max_length=_MOST)]


class PointFile(FromOutside):
    """One point of the level diagram."""

    title: Name = ""
    voice_low_dbfs: LevelDb | None = None
    voice_high_dbfs: LevelDb | None = None
    peak_dbfs: LevelDb | None = None
    floor_dbfs_a: LevelDb | None = None


class LevelsFile(FromOutside):
    """The level diagram, from the microphone to each listener."""

    points: list[PointFile] = Field([], max_length=200)


class ProfileFile(FromOutside):
    """The noise profile: mean and spread in each bin of a frame."""

    frame_samples: float | None = Field(None, ge=1, le=1e6)
    rate_hz: Hz | None = None
    mean_db: list[DifferenceDb | None] = Field([], max_length=_MOST)
    spread_db: list[DifferenceDb | None] = Field([], max_length=_MOST)


if typing.TYPE_CHECKING:
    # Made while the program runs; what is in them no type checker knows.
    QuietFile: typing.TypeAlias = Any
    TalkFile: typing.TypeAlias = Any
    CheckedFile: typing.TypeAlias = Any
else:
    QuietFile, TalkFile = file_model(QuietReading), file_model(TalkReading)
    CheckedFile = file_model(Sounding)


class ReadingsFile(FromOutside):
    """What each take told, by its purpose; ``check`` is what a later check compares with."""

    quiet: QuietFile | None = None
    in_use: QuietFile | None = None
    talk: TalkFile | None = None
    loud: TalkFile | None = None
    soft: TalkFile | None = None
    passage: TalkFile | None = None
    noise_profile: ProfileFile | None = None
    check: CheckedFile | None = None
    levels: LevelsFile | None = None
