"""A calibration file from elsewhere: plain JSON, or the zip that carries its takes beside it.

Whatever comes in here comes from strangers, so size, depth and every number that will be used are
looked at before anything is believed.
"""

from __future__ import annotations

import io
import json
import math
import zipfile
import zlib
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from obsidian_wren.core.chain.kinds import INSTANCES, KINDS
from obsidian_wren.core.wording import worded
from obsidian_wren.formats.calibration import (
    FORMAT,
    VERSION,
    BadCalibration,
    CalibrationFile,
    chain_spec,
)

LARGEST_BYTES = 24_000_000
INSIDE_ZIP = "calibration.json"
_DEEPEST = 40
_MOST_STAGES, _MOST_FEEDS = 64, 64
_LONGEST_NAME = 60
_UNREADABLE = (
    zipfile.BadZipFile,
    zlib.error,
    NotImplementedError,
    RuntimeError,
    OSError,
    ValueError,
)
# What further stages of a kind are numbered by.
_NUMBERS = tuple("23456789")


def read_carried(path: Path, name: str) -> CalibrationFile:
    """Read a calibration that somebody handed over. ``name`` is what the person calls the file.
    Raises BadCalibration with what is wrong and what to do."""
    name = shortened(name)
    whole = _json(_bytes(path, name), name)
    if not isinstance(whole, dict) or whole.get("format") != FORMAT:
        raise BadCalibration(
            worded(
                "{name} is no calibration of Obsidian Wren. Save one with “Save as a file”;"
                " settings of other programs come in as biquads, a two-column curve or an"
                " impulse response.",
                name=name,
            )
        )
    _require_version(whole.get("version"), name)
    _require_shallow(whole, name)
    try:
        file = CalibrationFile.model_validate(whole)
    except (ValidationError, RecursionError) as error:
        raise BadCalibration(_where(error, name)) from error
    if len(file.chain) > _MOST_STAGES or len(file.feeds) > _MOST_FEEDS:
        raise BadCalibration(
            worded(
                "{name} names {chain} stages and {feeds} feeds; no calibration has so many. Ask"
                " for the file again.",
                name=name,
                chain=len(file.chain),
                feeds=len(file.feeds),
            )
        )
    _require_keys(file, name)
    chain_spec(file)
    return file


def shortened(name: str) -> str:
    """A file's name as a sentence can hold it."""
    plain = "".join(c if c.isprintable() else "?" for c in name).strip() or worded("The file")
    return plain if len(plain) <= _LONGEST_NAME else plain[: _LONGEST_NAME - 1] + "…"


def _bytes(path: Path, name: str) -> bytes:
    try:
        if path.stat().st_size > LARGEST_BYTES:
            raise BadCalibration(
                worded(
                    "{name} is {st_size:.0f} MB; a calibration has less than"
                    " {largest_bytes:.0f}. Is it the right file?",
                    name=name,
                    st_size=path.stat().st_size / 1e6,
                    largest_bytes=LARGEST_BYTES / 1e6,
                )
            )
        raw = path.read_bytes()
    except OSError as error:
        raise BadCalibration(
            worded(
                "{name} cannot be opened ({strerror}). Check the name and try again.",
                name=name,
                strerror=error.strerror,
            )
        ) from error
    return _from_zip(raw, name) if raw.startswith(b"PK") else raw


def _from_zip(raw: bytes, name: str) -> bytes:
    try:
        with zipfile.ZipFile(io.BytesIO(raw)) as archive, archive.open(INSIDE_ZIP) as stream:
            # What a header promises is not what a stream holds.
            text = stream.read(LARGEST_BYTES + 1)
    except KeyError as error:
        raise BadCalibration(
            worded(
                "{name} is a zip without {inside_zip}. Choose the file that “Save with takes”"
                " wrote.",
                name=name,
                inside_zip=INSIDE_ZIP,
            )
        ) from error
    except (
        zipfile.BadZipFile,
        zlib.error,
        NotImplementedError,
        RuntimeError,
        OSError,
        ValueError,
    ) as error:
        raise BadCalibration(
            worded(
                "{name} is a zip that cannot be read. It may have been cut off: copy it again.",
                name=name,
            )
        ) from error
    if len(text) > LARGEST_BYTES:
        raise BadCalibration(
            worded(
                "{name} holds more text than a calibration has, over {largest_bytes:.0f} MB. Is"
                " it the right file?",
                name=name,
                largest_bytes=LARGEST_BYTES / 1e6,
            )
        )
    return text


def _json(raw: bytes, name: str) -> Any:
    try:
        return json.loads(raw.decode("utf-8-sig"), parse_constant=_no_constant, parse_float=_finite)
    except (ValueError, RecursionError) as error:
        raise BadCalibration(
            worded(
                "{name} is not JSON, or holds a number that is none. It may have been cut off or"
                " edited: copy it again.",
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


def _require_version(version: Any, name: str) -> None:
    if isinstance(version, int) and not isinstance(version, bool) and version > VERSION:
        raise BadCalibration(
            worded(
                "{name} has version {version}; this program reads up to version {version_2}."
                " Update the program, or ask for the file in an older version.",
                name=name,
                version=version,
                version_2=VERSION,
            )
        )
    if version != VERSION or isinstance(version, bool):
        raise BadCalibration(
            worded(
                "{name} says no version that this program knows. Save it again from Prove, Carry.",
                name=name,
            )
        )


def _require_shallow(value: Any, name: str) -> None:
    level = [value]
    for _ in range(_DEEPEST):
        level = [
            inner
            for outer in level
            if isinstance(outer, (dict, list))
            for inner in (outer.values() if isinstance(outer, dict) else outer)
        ]
        if not level:
            return
    raise BadCalibration(
        worded("{name} is nested deeper than any calibration. Ask for the file again.", name=name)
    )


def _require_keys(file: CalibrationFile, name: str) -> None:
    for key in (*file.sequence, *(stage.key for stage in file.chain if stage.key)):
        kind, _, number = key.partition("-")
        if key not in INSTANCES and (
            kind not in KINDS or not (number == "" or (number.isdecimal() and len(number) < 3))
        ):
            raise BadCalibration(
                worded(
                    "{name} names a stage “{shortened}” that this version does not have. Update"
                    " the program, or take it out of the file.",
                    name=name,
                    shortened=shortened(key),
                )
            )


def _where(error: Exception, name: str) -> str:
    if not isinstance(error, ValidationError):
        return worded(
            "{name} is nested deeper than any calibration. Ask for the file again.", name=name
        )
    first = error.errors()[0]
    where = ".".join(shortened(str(part)) for part in first["loc"])
    return worded(
        "{name}, at {where}: {msg}. Fix it, or save it again from Prove, Carry.",
        name=name,
        where=where,
        msg=first["msg"],
    )
