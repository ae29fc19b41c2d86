"""The level diagram of a report: voice, peaks and room from the microphone to each listener."""

from __future__ import annotations

from obsidian_wren.core.numerals import with_unit
from obsidian_wren.core.wording import _
from obsidian_wren.formats.calibration import CalibrationFile
from obsidian_wren.formats.charts import Chart, level_ladder

_MOST = 14
Place = dict[str, float | str | None]


def ladder(file: CalibrationFile) -> Chart | None:
    """The diagram as the file keeps it; from readings and the first feed where it keeps none."""
    places = _kept(file) or _read(file)
    if not places:
        return None
    first, last = places[0], places[-1]
    words = _(
        "Voice, peaks and room from “{title}” to “{title_2}”. At {title_2} the peaks stand"
        " at {as_float} and the room at {as_float_2}.",
        title=first["title"],
        title_2=last["title"],
        as_float=with_unit(_level(last, "peak"), "dBFS"),
        as_float_2=with_unit(_level(last, "floor"), "dBFS(A)"),
    )
    return level_ladder(_("Level diagram"), places, words)


def _level(place: Place, name: str) -> float | None:
    level = place[name]
    return level if isinstance(level, float) else None


def _kept(file: CalibrationFile) -> list[Place]:
    levels = file.readings.levels
    return [
        {
            "title": point.title,
            "voice_low": point.voice_low_dbfs,
            "voice_high": point.voice_high_dbfs,
            "peak": point.peak_dbfs,
            "floor": point.floor_dbfs_a,
        }
        for point in ([] if levels is None else levels.points[:_MOST])
    ]


def _read(file: CalibrationFile) -> list[Place]:
    talk, quiet = file.readings.talk, file.readings.quiet
    if talk is None or not file.feeds:
        return []
    low, high = (*(talk.active_percentiles_dbfs or []), None, None)[:2]
    feed = file.feeds[0]
    lufs, wide = feed.planned_lufs, feed.planned_range_lu
    return [
        {
            "title": _("converter"),
            "voice_low": low,
            "voice_high": high,
            "peak": talk.peak_dbfs,
            "floor": None if quiet is None else quiet.a_weighted_dbfs,
        },
        {
            "title": feed.name or _("feed"),
            "voice_low": None if lufs is None or wide is None else lufs - wide / 2.0,
            "voice_high": None if lufs is None or wide is None else lufs + wide / 2.0,
            "peak": feed.planned_peaks_dbfs,
            "floor": feed.planned_floor_dbfs_a,
        },
    ]
