"""Microphone responses as two-column text: frequency in Hz, level in dB; an optional third column
is the phase in degrees.

Columns part by tab, comma, semicolon or space. Lines that begin with ``*``, ``#``, ``;``, ``"`` or
a word are comments. A comma may be the decimal mark where columns part otherwise.
"""

from __future__ import annotations

import itertools
import re
from collections.abc import Sequence
from pathlib import Path

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.wording import _
from obsidian_wren.formats.bounded import read_text_bounded
from obsidian_wren.formats.sound_header import BadSound

_MOST_ROWS = 20_000
LARGEST_BYTES = 4_000_000
_MOST_HZ = 1e6
_MOST_DB = 200.0
_MOST_DEGREES = 1e6


def read_rows(path: Path, name: str | None = None) -> list[list[float]]:
    """Rows of Hz and dB, and phase where the file has it throughout, rising.

    Raises BadSound naming the line that is wrong.
    """
    name = name or path.name
    try:
        text = read_text_bounded(path, LARGEST_BYTES)
    except OSError as error:
        raise BadSound(
            "unreadable",
            _(
                "{name} cannot be opened ({strerror}). Check the name and try again.",
                name=name,
                strerror=error.strerror,
            ),
        ) from error
    if text is None:
        raise BadSound(
            "response-long",
            _(
                "{name} is over {size:.0f} MB; a response is a few kilobytes of text. Is it the"
                " right file?",
                name=name,
                size=LARGEST_BYTES / 1e6,
            ),
        )
    rows: list[list[float]] = []
    for number, line in enumerate(text.splitlines(), 1):
        stripped = line.strip()
        if not stripped or re.match(r"[*#;\"/A-Za-z]", stripped):
            continue
        row = _row(stripped)
        if row is None:
            raise BadSound(
                "response-row",
                _(
                    "{name}, line {number}: “{stripped}” is not a frequency and a level. Fix or"
                    " remove it.",
                    name=name,
                    number=number,
                    stripped=stripped[:40],
                ),
            )
        if not (
            0.0 < row[0] < _MOST_HZ
            and abs(row[1]) < _MOST_DB
            and all(abs(value) < _MOST_DEGREES for value in row[2:])
        ):
            raise BadSound(
                "response-row",
                _(
                    "{name}, line {number}: {row:g} Hz at {row_2:g} dB is impossible. Fix or"
                    " remove it.",
                    name=name,
                    number=number,
                    row=row[0],
                    row_2=row[1],
                ),
            )
        rows.append(row)
        if len(rows) > _MOST_ROWS:
            raise BadSound(
                "response-long",
                _(
                    "{name} holds more than {most_rows} rows. Is it the right file?",
                    name=name,
                    most_rows=_MOST_ROWS,
                ),
            )
    if len(rows) < 3:
        raise BadSound(
            "response-short",
            _(
                "{name} holds {rows} usable rows; at least 3 are needed. Is it the right file?",
                name=name,
                rows=len(rows),
            ),
        )
    rows.sort(key=lambda row: row[0])
    for low, high in itertools.pairwise(rows):
        if low[0] == high[0] and low[1] != high[1]:
            raise BadSound(
                "response-row",
                _(
                    "{name}: {low:g} Hz is listed twice, with {low_2:g} and {high:g} dB. Remove"
                    " one.",
                    name=name,
                    low=low[0],
                    low_2=low[1],
                    high=high[1],
                ),
            )
    return rows if all(len(row) == 3 for row in rows) else [row[:2] for row in rows]


def _row(text: str) -> list[float] | None:
    """Two or three numbers of a line, None when it is not that."""
    splits = [re.split(r"[\t;, ]+", text)]
    # A comma is a decimal mark where something else parts the columns: 100,5; -1,2
    if "," in text and re.search(r"[\t; ]", text):
        splits.insert(0, re.split(r"[\t; ]+", text.replace(", ", " ").replace(",", ".")))
    for parts in splits:
        try:
            numbers = [float(part) for part in parts if part]
        except ValueError:
            continue
        if len(numbers) in (2, 3):
            return numbers
    return None


def response_text(rows: Sequence[Sequence[float]], *, title: str) -> str:
    """The same kind of file: a comment line, then tab-parted columns."""
    head = "# Hz\tdB\tdegrees" if rows and len(rows[0]) == 3 else "# Hz\tdB"
    return (
        "\n".join([f"# {title}", head, *("\t".join(f"{value:g}" for value in row) for row in rows)])
        + "\n"
    )


def read_response(path: Path) -> tuple[Samples, Samples]:
    """Frequencies in Hz, rising, and levels in dB.

    Raises BadSound naming the line that is wrong.
    """
    rows = read_rows(path)
    return np.array([r[0] for r in rows]), np.array([r[1] for r in rows])


def response_at(frequency_hz: Samples, hz: Samples, db: Samples) -> Samples:
    """The response at ``frequency_hz``, interpolated over log frequency, 0 dB at 1 kHz, NaN
    outside the file's range."""
    at = np.interp(np.log(frequency_hz), np.log(hz), db)
    reference = float(np.interp(np.log(1000.0), np.log(hz), db))
    return np.where((frequency_hz >= hz[0]) & (frequency_hz <= hz[-1]), at - reference, np.nan)
