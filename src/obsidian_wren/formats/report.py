"""A calibration as one page that prints: plain words for a person, numbers for an engineer.

The page holds its pictures and its styles; it runs no script and asks for nothing.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import jinja2
import numpy as np

from obsidian_wren.core.chain.engine import render
from obsidian_wren.core.chain.kinds import KINDS
from obsidian_wren.core.numerals import frequency, with_sign, with_unit
from obsidian_wren.formats.calibration import CalibrationFile, StageFile, chain_spec
from obsidian_wren.formats.charts import Chart, Line, level_ladder, over_frequency

_TONE = ("highpass", "equalizer", "lowpass")
_PLACES = Path(__file__).parent
_IMPULSE = 1 << 15
_SHOWN_HZ, _TOLD_HZ = (40.0, 16_000.0), (100.0, 10_000.0)


def report_html(file: CalibrationFile) -> str:
    """The whole page."""
    pages = jinja2.Environment(
        loader=jinja2.FileSystemLoader(_PLACES), autoescape=True, undefined=jinja2.StrictUndefined
    )
    pages.filters.update(
        unit=lambda value, unit: with_unit(_float(value), unit), signed=with_sign, hz=frequency
    )
    return pages.get_template("report.html.j2").render(
        title=str(file.rig.get("name") or "Calibration"),
        rig=_rig(file.rig),
        preamp=file.rig.get("preamp"),
        readings=_readings(file.readings),
        charts=_charts(file),
        stages=[_stage(stage) for stage in file.chain],
        feeds=file.feeds,
        proof=file.proof,
    )


def _rig(rig: dict[str, Any]) -> list[tuple[str, str]]:
    """What is known of the rig, as names and values."""
    found = []
    for key, title in (("microphone", "Microphone"), ("interface", "Interface"), ("room", "Room")):
        thing = rig.get(key)
        if isinstance(thing, dict) and thing.get("name"):
            found.append((title, str(thing["name"])))
    for key, title, unit, decimals in (
        ("distance_cm", "Mouth to microphone", "cm", 0),
        ("angle_deg", "Off its axis", "degrees", 0),
        ("gain_db", "Preamp", "dB", 1),
        ("rate_hz", "Sample rate", "Hz", 0),
    ):
        value = rig.get(key)
        if isinstance(value, (int, float)):
            found.append((title, with_unit(float(value), unit, decimals)))
    return found


_ROWS = (
    ("quiet", "rms_dbfs", "Noise floor", "dBFS"),
    ("quiet", "a_weighted_dbfs", "Noise floor, A-weighted", "dBFS(A)"),
    ("quiet", "peak_dbfs", "Loudest of the room", "dBFS"),
    ("talk", "active_level_dbfs", "Level of the voice", "dBFS"),
    ("talk", "loudness_lufs", "Loudness", "LUFS"),
    ("talk", "true_peak_dbtp", "True peak", "dBTP"),
    ("talk", "snr_db", "Signal-to-noise ratio", "dB"),
)


def _readings(readings: dict[str, Any]) -> list[tuple[str, str]]:
    rows = [
        (title, with_unit(_number(readings.get(part, {}), name), unit))
        for part, name, title, unit in _ROWS
        if isinstance(readings.get(part), dict)
    ]
    hum = readings.get("quiet", {}).get("hum")
    if isinstance(hum, dict):
        of = f"Mains hum, {_number(hum, 'mains_hz') or 0.0:.2f} Hz"
        rows.append((of, with_unit(_number(hum, "level_dbfs"), "dBFS")))
    return rows


def _number(body: Any, name: str) -> float | None:
    value = body.get(name) if isinstance(body, dict) else None
    return float(value) if isinstance(value, (int, float)) else None


def _charts(file: CalibrationFile) -> list[Chart]:
    return [
        chart for chart in (_ladder(file), _bands(file), _correction(file)) if chart is not None
    ]


def _ladder(file: CalibrationFile) -> Chart | None:
    talk, quiet = file.readings.get("talk"), file.readings.get("quiet")
    if not isinstance(talk, dict) or not file.feeds:
        return None
    low, high = [*(talk.get("active_percentiles_dbfs") or []), None, None][:2]
    feed = file.feeds[0]
    lufs, wide = _number(feed, "planned_lufs"), _number(feed, "planned_range_lu")
    places: list[dict[str, float | str | None]] = [
        {
            "title": "converter",
            "voice_low": _float(low),
            "voice_high": _float(high),
            "peak": _number(talk, "peak_dbfs"),
            "floor": _number(quiet, "a_weighted_dbfs"),
        },
        {
            "title": str(feed.get("name", "feed")),
            "voice_low": None if lufs is None or wide is None else lufs - wide / 2.0,
            "voice_high": None if lufs is None or wide is None else lufs + wide / 2.0,
            "peak": _number(feed, "planned_peaks_dbfs"),
            "floor": _number(feed, "planned_floor_dbfs_a"),
        },
    ]
    words = (
        f"At the converter the voice peaks at {with_unit(_number(talk, 'peak_dbfs'), 'dBFS')};"
        f" {feed.get('name', 'the feed')} gets {with_unit(lufs, 'LUFS')} over a floor of"
        f" {with_unit(_number(feed, 'planned_floor_dbfs_a'), 'dBFS(A)')}."
    )
    return level_ladder("Levels from the converter to the listener", places, words)


def _float(value: Any) -> float | None:
    return float(value) if isinstance(value, (int, float)) else None


def _bands(file: CalibrationFile) -> Chart | None:
    lines = [
        Line(points, look, label)
        for part, look, label in (
            ("talk", "solid", "solid: voice"),
            ("quiet", "dots", "dots: room"),
        )
        if (points := _third_octaves(file.readings.get(part)))
    ]
    if not lines:
        return None
    words = (
        "Voice and room in third octaves: the voice is"
        f" {with_unit(_number(file.readings.get('talk'), 'snr_db'), 'dB', 0)} over the room."
    )
    return over_frequency("Voice and room in third octaves", lines, unit="dBFS", words=words)


def _third_octaves(reading: Any) -> list[tuple[float, float]]:
    rows = reading.get("third_octaves") if isinstance(reading, dict) else None
    return [
        (float(row["centre_hz"]), float(row["level_dbfs"]))
        for row in rows or []
        if isinstance(row, dict)
        and isinstance(row.get("level_dbfs"), (int, float))
        and isinstance(row.get("centre_hz"), (int, float))
    ]


def _correction(file: CalibrationFile) -> Chart | None:
    """What the filters of the tone do together."""
    rate = _number(file.rig, "rate_hz") or 48_000.0
    specs = [
        spec
        for stage, spec in zip(file.chain, chain_spec(file), strict=True)
        if stage.kind in _TONE and spec.on
    ]
    if not specs:
        return None
    impulse = np.zeros(_IMPULSE)
    impulse[0] = 1.0
    magnitude = np.abs(np.fft.rfft(render(specs, impulse, rate_hz=rate)))
    hz = np.geomspace(_SHOWN_HZ[0], min(_SHOWN_HZ[1], 0.45 * rate), 160)
    level = 20.0 * np.log10(
        np.maximum(np.interp(hz, np.fft.rfftfreq(_IMPULSE, 1.0 / rate), magnitude), 1e-6)
    )
    shown = [(float(f), max(float(db), -30.0)) for f, db in zip(hz, level, strict=True)]
    most = max(
        shown, key=lambda point: abs(point[1]) if _TOLD_HZ[0] < point[0] < _TOLD_HZ[1] else 0.0
    )
    words = (
        f"High-pass, equalizer and low-pass together; most between 100 Hz and 10 kHz:"
        f" {with_sign(most[1], 'dB')} at {frequency(most[0])}."
    )
    line = Line(shown, "aim", "correction")
    return over_frequency("What is done to the tone", [line], unit="dB", words=words)


def _stage(stage: StageFile) -> dict[str, Any]:
    kind = KINDS[stage.kind]
    titles = {parameter.name: parameter.title for parameter in kind.parameters}
    return {
        "title": kind.title,
        "on": stage.on,
        "because": stage.because,
        "settings": [
            {
                "title": titles.get(name, name.replace("_", " ")),
                "value": with_unit(setting.value, setting.unit)
                if isinstance(setting.value, float)
                else None,
                "bands": [band for band in setting.value if not isinstance(band, list)]
                if isinstance(setting.value, list)
                else [],
                "rows": len(setting.value) if isinstance(setting.value, list) else 0,
                "pinned": setting.pinned,
                "because": setting.because,
            }
            for name, setting in stage.settings.items()
        ],
    }
