"""The level diagram of a report: voice, peaks and room from the microphone to each listener."""

from __future__ import annotations

from typing import Any

from obsidian_wren.core.numerals import with_unit
from obsidian_wren.core.wording import worded
from obsidian_wren.formats.calibration import CalibrationFile
from obsidian_wren.formats.charts import Chart, level_ladder
from obsidian_wren.formats.report_numbers import as_float, number

_MOST = 14
Place = dict[str, float | str | None]


def ladder(file: CalibrationFile) -> Chart | None:
    """The diagram as the file keeps it; from readings and the first feed where it keeps none."""
    places = _kept(file) or _read(file)
    if not places:
        return None
    first, last = places[0], places[-1]
    words = worded(
        "Voice, peaks and room from “{title}” to “{title_2}”. At {title_2} the peaks stand"
        " at {as_float} and the room at {as_float_2}.",
        title=first["title"],
        title_2=last["title"],
        as_float=with_unit(as_float(last["peak"]), "dBFS"),
        as_float_2=with_unit(as_float(last["floor"]), "dBFS(A)"),
    )
    return level_ladder(worded("Level diagram"), places, words)


def _kept(file: CalibrationFile) -> list[Place]:
    levels = file.readings.get("levels")
    points = levels.get("points") if isinstance(levels, dict) else None
    if not isinstance(points, list):
        return []
    return [
        {
            "title": str(point.get("title", "")),
            "voice_low": number(point, "voice_low_dbfs"),
            "voice_high": number(point, "voice_high_dbfs"),
            "peak": number(point, "peak_dbfs"),
            "floor": number(point, "floor_dbfs_a"),
        }
        for point in points[:_MOST]
        if isinstance(point, dict)
    ]


def _read(file: CalibrationFile) -> list[Place]:
    talk, quiet = file.readings.get("talk"), file.readings.get("quiet")
    if not isinstance(talk, dict) or not file.feeds:
        return []
    ends: Any = talk.get("active_percentiles_dbfs")
    low, high = (*ends, None, None)[:2] if isinstance(ends, list) else (None, None)
    feed = file.feeds[0]
    lufs, wide = number(feed, "planned_lufs"), number(feed, "planned_range_lu")
    return [
        {
            "title": worded("converter"),
            "voice_low": as_float(low),
            "voice_high": as_float(high),
            "peak": number(talk, "peak_dbfs"),
            "floor": number(quiet, "a_weighted_dbfs"),
        },
        {
            "title": str(feed.get("name", worded("feed"))),
            "voice_low": None if lufs is None or wide is None else lufs - wide / 2.0,
            "voice_high": None if lufs is None or wide is None else lufs + wide / 2.0,
            "peak": number(feed, "planned_peaks_dbfs"),
            "floor": number(feed, "planned_floor_dbfs_a"),
        },
    ]
