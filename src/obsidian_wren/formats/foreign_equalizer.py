"""The equalizer of another program, in the forms that many of them share: biquads as text, a
two-column curve, an impulse response as WAV. Each becomes a curve of Hz and dB.

Source: the transfer function of a second-order section; ISO 266 for the frequencies.
"""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import scipy

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.wording import _
from obsidian_wren.formats.bounded import read_text_bounded
from obsidian_wren.formats.carried_file import shortened
from obsidian_wren.formats.read_sound import read_sound
from obsidian_wren.formats.response import read_rows
from obsidian_wren.formats.sound_header import BadSound

_RATE_HZ = 48_000
_LARGEST_TEXT, _MOST_SECTIONS = 400_000, 200
_LONGEST_IMPULSE_S = 20.0
_LOW_HZ, _HIGH_HZ, _POINTS = 20.0, 20_000.0, 241
_MOST_DB = 60.0
_NOTHING, _MOST, _RATES_HZ = 1e-9, 1e9, (8000, 384_000)
_SECTION, _NORMALISED = 6, 5
_NUMBER = re.compile(r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?")


def read_equalizer(path: Path, name: str, *, rate_hz: int = _RATE_HZ) -> list[list[float]]:
    """Rows of Hz and dB of an equalizer. Biquads are read at ``rate_hz``, where the text names no
    rate. Raises BadSound."""
    called = shortened(name)
    with path.open("rb") as file:
        head = file.read(4)
    if head in (b"RIFF", b"fLaC", b"FORM") or name.lower().endswith((".wav", ".flac")):
        return _of_impulse(path, called)
    sections, rate = _sections(path, called, rate_hz)
    if sections is not None:
        return _of_sections(sections, rate, called)
    return [row[:2] for row in read_rows(path, called)]


def _of_impulse(path: Path, name: str) -> list[list[float]]:
    sound = read_sound(path, channel=1, longest_s=_LONGEST_IMPULSE_S)
    rate = sound.rate_hz
    hz = _points(rate)
    spectrum = np.abs(np.fft.rfft(sound.samples, max(len(sound.samples), 1 << 16)))
    if not spectrum.any():
        raise BadSound(
            "silent",
            _("{name} is silent, so it is not an impulse response. Export it again.", name=name),
        )
    own = np.fft.rfftfreq(2 * (len(spectrum) - 1), 1.0 / rate)
    return _rows(hz, np.interp(hz, own, spectrum), name)


def _sections(path: Path, name: str, rate_hz: int) -> tuple[Samples | None, int]:
    """Second-order sections where the text holds some, and their rate; None where it is no
    biquads."""
    text = read_text_bounded(path, _LARGEST_TEXT)
    if text is None:
        return None, rate_hz
    lines = [
        [cell.strip() for cell in re.split(r"[,;\t ]+", line.strip("#* \t")) if cell.strip()]
        for line in text.splitlines()
    ]
    found, rate = _of_table(lines, rate_hz)
    if not found:
        found = _of_rows(lines)
    if not found:
        return None, rate
    if len(found) > _MOST_SECTIONS:
        raise BadSound(
            "biquads",
            _("{name} holds {found} biquads. Is it the right file?", name=name, found=len(found)),
        )
    return np.array(found), rate


def _of_table(lines: list[list[str]], rate_hz: int) -> tuple[list[list[float]], int]:
    """Coefficients by the names of their columns, and the rate where one is named."""
    found, rate = [], rate_hz
    head: list[str] = []
    for cells in lines:
        if {"b0", "b1", "b2", "a1", "a2"} <= {cell.lower() for cell in cells}:
            head = [cell.lower() for cell in cells]
        elif head and len(cells) == len(head):
            row = dict(zip(head, cells, strict=True))
            values = [row.get(name, "1") for name in ("b0", "b1", "b2", "a0", "a1", "a2")]
            if all(_NUMBER.fullmatch(value) for value in values):
                found.append([float(value) for value in values])
                if _NUMBER.fullmatch(row.get("rate_hz", "")):
                    # What no rate can be is told of as such.
                    rate = round(min(max(float(row["rate_hz"]), 0.0), 1e9))
    return found, rate


def _of_rows(lines: list[list[str]]) -> list[list[float]]:
    """Coefficients as rows of six numbers, or of five where a0 is 1."""
    found = []
    for cells in lines:
        if len(cells) in (_SECTION, _NORMALISED) and all(_NUMBER.fullmatch(c) for c in cells):
            values = [float(cell) for cell in cells]
            found.append(values if len(values) == _SECTION else [*values[:3], 1.0, *values[3:]])
    return found


def _of_sections(sections: Samples, rate_hz: int, name: str) -> list[list[float]]:
    size = np.abs(sections)
    # Normalised, none of a filter for sound comes near to either.
    if not (np.all(size < _MOST) and np.all(size[:, 3] > _NOTHING)):
        raise BadSound(
            "biquads",
            _(
                "{name} holds a biquad with a0 = 0, or an impossible number. Fix it.",
                name=name,
            ),
        )
    if not _RATES_HZ[0] <= rate_hz <= _RATES_HZ[1]:
        raise BadSound(
            "biquads",
            _(
                "{name} states a rate of {rate_hz} Hz, which is impossible. Fix it.",
                name=name,
                rate_hz=rate_hz,
            ),
        )
    sections = sections / sections[:, 3:4]
    if any(np.max(np.abs(np.roots(section[3:]))) >= 1.0 for section in sections):
        raise BadSound(
            "biquads",
            _(
                "{name} holds an unstable biquad (a pole outside the unit circle). Export it"
                " again, with a1 and a2 as written, not negated.",
                name=name,
            ),
        )
    hz = _points(rate_hz)
    _hz, answer = scipy.signal.sosfreqz(sections, hz, fs=rate_hz)
    return _rows(hz, np.abs(answer), name)


def _points(rate_hz: int) -> Samples:
    return np.geomspace(_LOW_HZ, min(_HIGH_HZ, 0.45 * rate_hz), _POINTS)


def _rows(hz: Samples, magnitude: Samples, name: str) -> list[list[float]]:
    db = 20.0 * np.log10(np.maximum(magnitude, 1e-9))
    # Of an equalizer only the differences count.
    db = db - float(np.median(db))
    if not np.isfinite(db).all() or np.max(np.abs(db)) > _MOST_DB * 3.0:
        raise BadSound(
            "biquads",
            _("{name} gives no curve that an equalizer can have. Is it complete?", name=name),
        )
    db = np.clip(db, -_MOST_DB, _MOST_DB)
    return [[round(float(f), 2), round(float(level), 3)] for f, level in zip(hz, db, strict=True)]
