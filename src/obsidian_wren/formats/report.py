"""A calibration as one page that prints: plain words for a person, numbers for an engineer.

The page holds its pictures and its styles; it runs no script and asks for nothing.
"""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import jinja2

from obsidian_wren.core.chain.kinds import KINDS
from obsidian_wren.core.numerals import frequency, with_sign, with_unit
from obsidian_wren.core.wording import _, ngettext, spoken
from obsidian_wren.formats.calibration import CalibrationFile, RigFile, StageFile
from obsidian_wren.formats.reading_files import ReadingsFile
from obsidian_wren.formats.report_charts import charts

_PLACES = Path(__file__).parent
_SHAPES = {
    "peak": _("peak"),
    "low_shelf": _("low shelf"),
    "high_shelf": _("high shelf"),
}
# Units that are words.
_UNITS = {"order": _("order")}
_MINUS = re.compile(r"(^|[\s(])-(?=\d)")


def report_html(file: CalibrationFile) -> str:
    """The whole page."""
    pages = jinja2.Environment(
        loader=jinja2.FileSystemLoader(_PLACES),
        autoescape=True,
        undefined=jinja2.StrictUndefined,
        finalize=_proper,
    )
    pages.filters.update(unit=with_unit, signed=with_sign, hz=frequency)
    pages.globals.update(_=_, ngettext=ngettext)
    return pages.get_template("report.html.j2").render(
        language=spoken().tag.replace("_", "-"),
        shapes=_SHAPES,
        title=file.rig.name or _("Calibration"),
        rig=_rig(file.rig),
        preamp=file.rig.preamp,
        readings=_readings(file.readings),
        charts=charts(file),
        stages=[_stage(stage) for stage in file.chain],
        feeds=file.feeds,
        situations=file.situations,
        proof=file.proof,
    )


def _proper(value: Any) -> Any:
    """Sentences with true minus signs before their numbers; pictures as they are."""
    return _MINUS.sub(r"\1−", value) if type(value) is str else value


def _rig(rig: RigFile) -> list[tuple[str, str]]:
    """What is known of the rig, as names and values."""
    found = []
    for key, title in (
        ("microphone", _("Microphone")),
        ("interface", _("Interface")),
        ("room", _("Room")),
    ):
        thing = getattr(rig, key)
        if thing is not None and thing.name:
            found.append((title, thing.name))
    for key, title, unit, decimals in (
        ("distance_cm", _("Mouth to microphone"), "cm", 0),
        ("angle_deg", _("Off its axis"), _("degrees"), 0),
        ("gain_db", _("Preamp"), "dB", 1),
        ("rate_hz", _("Sample rate"), "Hz", 0),
    ):
        value = getattr(rig, key)
        if value is not None:
            found.append((title, with_unit(value, unit, decimals)))
    return found


_ROWS = (
    ("quiet", "rms_dbfs", _("Noise floor"), "dBFS"),
    ("quiet", "a_weighted_dbfs", _("Noise floor, A-weighted"), "dBFS(A)"),
    ("quiet", "peak_dbfs", _("Loudest moments of the room"), "dBFS"),
    ("talk", "active_level_dbfs", _("Level of the voice"), "dBFS"),
    ("talk", "loudness_lufs", _("Loudness"), "LUFS"),
    ("talk", "true_peak_dbtp", _("True peak"), "dBTP"),
    ("talk", "snr_db", _("Signal-to-noise ratio"), "dB"),
)


def _readings(readings: ReadingsFile) -> list[tuple[str, str]]:
    rows = [
        (title, with_unit(getattr(reading, name), unit))
        for part, name, title, unit in _ROWS
        if (reading := getattr(readings, part)) is not None
    ]
    hum = None if readings.quiet is None else readings.quiet.hum
    if hum is not None:
        of = _("Mains hum, {value:.2f} Hz", value=hum.mains_hz or 0.0)
        rows.append((of, with_unit(hum.level_dbfs, "dBFS")))
    return rows


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
                "value": with_unit(setting.value, _UNITS.get(setting.unit, setting.unit))
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
