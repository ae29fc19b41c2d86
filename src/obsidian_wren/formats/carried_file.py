"""A calibration file is read: plain JSON, or the zip that carries its takes beside it.

One reader serves the page and every command, so that a file is refused everywhere with the same
sentence, or nowhere. Whatever comes in here may come from strangers: size, depth, text and every
number are looked at before anything is believed, and the whole is refused where one part is wrong.
"""

from __future__ import annotations

import json
import math
import zipfile
import zlib
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from obsidian_wren.core.chain.kinds import INSTANCES, KINDS, kind_of
from obsidian_wren.core.wording import _
from obsidian_wren.formats.calibration import (
    FORMAT,
    VERSION,
    BadCalibration,
    BandFile,
    CalibrationFile,
    SettingFile,
    StageFile,
    chain_spec,
)
from obsidian_wren.formats.outside import is_storable
from obsidian_wren.formats.stage_data import UNITS

# A calibration has 60 kB and 5,000 values; with an imported target and years of checks ten times
# as much.
LARGEST_TEXT = 4_000_000
# All its takes beside it, each as long and as wide as a take may be.
LARGEST_ZIP = 1_000_000_000
INSIDE_ZIP = "calibration.json"
_MOST_VALUES = 100_000
_DEEPEST = 40
_LONGEST_NAME = 60
# Whole numbers that a table can hold; what is longer is no count.
_MOST_DIGITS = 18
_UNREADABLE = (
    zipfile.BadZipFile,
    zlib.error,
    EOFError,
    NotImplementedError,
    RuntimeError,
    OSError,
    ValueError,
)
# What further stages of a kind are numbered by.
_NUMBERS = tuple("23456789")


def read_calibration(path: Path, name: str | None = None) -> CalibrationFile:
    """Read and check a calibration file. ``name`` is what the person calls it.

    Raises BadCalibration with what is wrong and what to do.
    """
    name = shortened(path.name if name is None else name)
    whole = _json(_text(path, name), name)
    if not isinstance(whole, dict) or whole.get("format") != FORMAT:
        raise BadCalibration(
            _(
                "{name} is not a calibration of Obsidian Wren. Save one with “Save as a file”"
                " or write one with “obsidian-wren plan”; settings of other programs come in as"
                " biquads, a two-column curve or an impulse response.",
                name=name,
            )
        )
    _require_version(whole.get("version"), name)
    _require_sane(whole, name)
    try:
        file = CalibrationFile.model_validate(whole)
    except (ValidationError, RecursionError) as error:
        raise BadCalibration(_where(error, name)) from error
    _require_keys(file, name)
    for stage in file.chain:
        _require_settings(stage, name)
    chain_spec(file)
    return file


def shortened(name: str) -> str:
    """A file's name as a sentence can hold it."""
    plain = "".join(c if c.isprintable() else "?" for c in name).strip() or _("The file")
    return plain if len(plain) <= _LONGEST_NAME else plain[: _LONGEST_NAME - 1] + "…"


def _text(path: Path, name: str) -> bytes:
    """The JSON of a file, never more of it than a calibration has, whatever it claims to be."""
    try:
        with path.open("rb") as file:
            # A pipe can be read once only.
            raw = file.read(LARGEST_TEXT + 1)
        is_zip = raw.startswith(b"PK")
        if is_zip and path.stat().st_size > LARGEST_ZIP:
            raise _too_large(name, LARGEST_ZIP)
    except OSError as error:
        raise BadCalibration(
            _(
                "{name} cannot be opened ({strerror}). Check the name and try again.",
                name=name,
                strerror=error.strerror,
            )
        ) from error
    if is_zip:
        raw = _from_zip(path, name)
    if len(raw) > LARGEST_TEXT:
        raise _too_large(name, LARGEST_TEXT)
    return raw


def _too_large(name: str, most: int) -> BadCalibration:
    return BadCalibration(
        _(
            "{name} is larger than any calibration, over {most:.0f} MB. Is it the right file?",
            name=name,
            most=most / 1e6,
        )
    )


def _from_zip(path: Path, name: str) -> bytes:
    try:
        with zipfile.ZipFile(path) as archive, archive.open(INSIDE_ZIP) as stream:
            # What a header promises is not what a stream holds.
            return stream.read(LARGEST_TEXT + 1)
    except KeyError as error:
        raise BadCalibration(
            _(
                "{name} is a zip without {inside_zip}. Choose the file that “Save with takes”"
                " wrote.",
                name=name,
                inside_zip=INSIDE_ZIP,
            )
        ) from error
    except _UNREADABLE as error:
        raise BadCalibration(
            _(
                "{name} is a zip that cannot be read, perhaps cut off. Copy it again.",
                name=name,
            )
        ) from error


def _json(raw: bytes, name: str) -> Any:
    try:
        return json.loads(
            raw.decode("utf-8-sig"),
            parse_constant=_no_constant,
            parse_float=_finite,
            parse_int=_countable,
        )
    except (ValueError, RecursionError) as error:
        raise BadCalibration(
            _(
                "{name} is not valid JSON, perhaps cut off or edited. Copy it again.",
                name=name,
            )
        ) from error


def _no_constant(word: str) -> float:
    raise ValueError(word)


def _finite(text: str) -> float:
    value = float(text)
    if not math.isfinite(value):
        raise ValueError(text)
    return value


def _countable(text: str) -> int:
    if len(text.lstrip("-")) > _MOST_DIGITS:
        raise ValueError(text)
    return int(text)


def _require_version(version: Any, name: str) -> None:
    if isinstance(version, int) and not isinstance(version, bool) and version > VERSION:
        raise BadCalibration(
            _(
                "{name} has version {version}; this program reads up to version {version_2}."
                " Update the program, or ask for the file in an older version.",
                name=name,
                version=version,
                version_2=VERSION,
            )
        )
    if version != VERSION or isinstance(version, bool):
        raise BadCalibration(
            _(
                "{name} states no version that this program knows. Save it again from Prove,"
                " Carry.",
                name=name,
            )
        )


def _require_sane(whole: Any, name: str) -> None:
    """No deeper, no more and no other text than any calibration has."""
    level, seen = [whole], 0
    for _depth in range(_DEEPEST):
        if not level:
            return
        seen += len(level)
        if seen > _MOST_VALUES:
            raise BadCalibration(
                _(
                    "{name} holds more numbers than any calibration. Ask for the file again.",
                    name=name,
                )
            )
        if not all(is_storable(one) for one in level if isinstance(one, str)):
            raise BadCalibration(
                _(
                    "{name} holds broken text that cannot be saved. Ask for the file again.",
                    name=name,
                )
            )
        level = [inner for outer in level for inner in _inside(outer)]
    raise BadCalibration(
        _("{name} is nested deeper than any calibration. Ask for the file again.", name=name)
    )


def _inside(value: Any) -> Iterator[Any]:
    if isinstance(value, dict):
        yield from value
        yield from value.values()
    elif isinstance(value, list):
        yield from value


def _require_keys(file: CalibrationFile, name: str) -> None:
    seen: set[str] = set()
    for key in (*file.sequence, *(stage.key for stage in file.chain if stage.key)):
        kind, parted, number = key.partition("-")
        if key not in INSTANCES and (
            kind not in KINDS or (bool(parted) and number not in _NUMBERS)
        ):
            raise BadCalibration(
                _(
                    "{name} names a stage “{shortened}” that this version does not have. Update"
                    " the program, or remove it from the file.",
                    name=name,
                    shortened=shortened(key),
                )
            )
    for stage in file.chain:
        # A kind that there is not is named, with what to do, where the chain is made of it.
        if stage.key and stage.kind in KINDS and kind_of(stage.key).kind != stage.kind:
            raise BadCalibration(
                _(
                    "{name} gives the stage “{key}” the kind “{kind}”. Save the file again at"
                    " its source.",
                    name=name,
                    key=stage.key,
                    kind=shortened(stage.kind),
                )
            )
        if stage.key in seen:
            raise BadCalibration(
                _(
                    "{name} names the stage “{key}” twice. Save the file again at its source.",
                    name=name,
                    key=stage.key,
                )
            )
        seen.update({stage.key} - {""})


def _require_settings(stage: StageFile, name: str) -> None:
    """Each setting in its own unit and within what can be set; what this version does not know of
    a stage is passed over."""
    kind = KINDS.get(stage.kind)
    if kind is None:
        # Named, with what to do, where the chain is made of it.
        return
    known = {parameter.name: parameter for parameter in kind.parameters}
    for setting_name, setting in stage.settings.items():
        where = f"{stage.key or stage.kind}.{shortened(setting_name)}"
        parameter = known.get(setting_name)
        unit = UNITS.get(setting_name) if parameter is None else parameter.unit
        if unit is None:
            continue
        if setting.unit != unit:
            raise BadCalibration(
                _(
                    "{name}, at {where}: the unit is “{unit}”, but this program reads “{own}”."
                    " Save the file again at its source.",
                    name=name,
                    where=where,
                    unit=shortened(setting.unit) if setting.unit else "",
                    own=unit,
                )
            )
        if parameter is None:
            _require_shape(setting, setting_name, name, where)
        elif not isinstance(setting.value, float) or not isinstance(
            setting.derived, (float, type(None))
        ):
            raise BadCalibration(
                _(
                    "{name}, at {where}: a number is missing. Save the file again at its source.",
                    name=name,
                    where=where,
                )
            )
        elif not parameter.low <= setting.value <= parameter.high:
            raise BadCalibration(
                _(
                    "{name}, at {where}: {value:g} is out of range; it goes from {low:g} to"
                    " {high:g}. Fix it, or save the file again.",
                    name=name,
                    where=where,
                    value=setting.value,
                    low=parameter.low,
                    high=parameter.high,
                )
            )


def _require_shape(setting: SettingFile, setting_name: str, name: str, where: str) -> None:
    """Bands hold bands and rows hold rows, in what is in force and in what was derived."""
    banded = setting_name == "bands"
    for held in (setting.value, setting.derived):
        if held is None and held is setting.derived:
            continue
        if not isinstance(held, list) or any(isinstance(each, BandFile) != banded for each in held):
            raise BadCalibration(
                _(
                    "{name}, at {where}: {shape} are missing. Save the file again at its source.",
                    name=name,
                    where=where,
                    shape=_("bands") if banded else _("rows of numbers"),
                )
            )


def _where(error: Exception, name: str) -> str:
    if not isinstance(error, ValidationError):
        return _("{name} is nested deeper than any calibration. Ask for the file again.", name=name)
    first = error.errors()[0]
    where = ".".join(shortened(str(part)) for part in first["loc"])
    return _(
        "{name}, at {where}: {msg}. Fix it, or save it again from Prove, Carry.",
        name=name,
        where=where,
        msg=first["msg"],
    )
