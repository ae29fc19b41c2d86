"""Microphone responses as two-column text: frequency in Hz, level in dB; an optional third column (phase) is passed over.

Columns part by tab, comma, semicolon or space. Lines that begin with ``*``, ``#``, ``;``, ``"`` or a word are comments.
"""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.formats.sound import BadSound


def read_response(path: Path) -> tuple[Samples, Samples]:
    """Frequencies in Hz, rising, and levels in dB. Raises BadSound naming the line that is wrong."""
    try:
        text = path.read_text("utf-8-sig", errors="replace")
    except OSError as error:
        raise BadSound("unreadable", f"{path.name} cannot be opened ({error.strerror}). Check the name and try again.") from error
    rows: list[tuple[float, float]] = []
    for number, line in enumerate(text.splitlines(), 1):
        stripped = line.strip()
        if not stripped or re.match(r"[*#;\"A-Za-z]", stripped):
            continue
        parts = [p for p in re.split(r"[\t;, ]+", stripped) if p]
        try:
            hz, db = float(parts[0]), float(parts[1])
        except (ValueError, IndexError):
            raise BadSound(
                "response-row", f"{path.name}, line {number}: “{stripped[:40]}” is not a frequency and a level. Mend or remove it."
            ) from None
        if not (0.0 < hz < 1e6 and abs(db) < 200.0):
            raise BadSound("response-row", f"{path.name}, line {number}: {hz:g} Hz at {db:g} dB cannot be. Mend or remove it.")
        rows.append((hz, db))
    if len(rows) < 3:
        raise BadSound("response-short", f"{path.name} holds {len(rows)} usable rows; at least 3 are needed. Is it the right file?")
    rows.sort()
    return np.array([r[0] for r in rows]), np.array([r[1] for r in rows])


def response_at(frequency_hz: Samples, hz: Samples, db: Samples) -> Samples:
    """The response at ``frequency_hz``, interpolated over log frequency, 0 dB at 1 kHz, NaN outside the file's range."""
    at = np.interp(np.log(frequency_hz), np.log(hz), db)
    reference = float(np.interp(np.log(1000.0), np.log(hz), db))
    return np.where((frequency_hz >= hz[0]) & (frequency_hz <= hz[-1]), at - reference, np.nan)
