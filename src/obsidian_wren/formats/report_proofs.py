"""The pictures of what was proved: blind series, and what the last check found moved."""

from __future__ import annotations

from typing import Any

from obsidian_wren.core.wording import worded
from obsidian_wren.formats.calibration import CalibrationFile
from obsidian_wren.formats.charts import Chart, Count, Line, counts, over_frequency
from obsidian_wren.formats.report_numbers import number

_MOST = 12


def proved_charts(file: CalibrationFile) -> tuple[Chart, ...]:
    """The series against chance, and the last check, where there are any."""
    found = (_series(file.proof.get("series")), _drift(file.proof.get("last_check_bands")))
    return tuple(chart for chart in found if chart is not None)


def _series(kept: Any) -> Chart | None:
    rows = [
        row
        for body in (kept if isinstance(kept, list) else [])[-_MOST:]
        if (row := _count(body)) is not None
    ]
    if not rows:
        return None
    told = "; ".join(
        worded("{name}: {first:g} of {rounds}", name=row.name, first=row.first, rounds=row.rounds)
        for row in rows
    )
    words = worded("Blind series, grey where chance alone lands in 95 of 100. {told}.", told=told)
    return counts(worded("Blind series"), rows, words)


def _count(body: Any) -> Count | None:
    first, rounds = number(body, "first"), number(body, "rounds")
    ends = body.get("chance_range") if isinstance(body, dict) else None
    if first is None or not rounds or not isinstance(ends, list) or len(ends) != 2:
        return None
    if not all(isinstance(end, (int, float)) for end in ends):
        return None
    return Count(str(body.get("title", "")), first, round(rounds), (float(ends[0]), float(ends[1])))


def _drift(bands: Any) -> Chart | None:
    lines = [
        Line(points, look, label)
        for name, look, label in (
            ("change_db", "solid", worded("solid: voice")),
            ("explained_db", "dashes", worded("dashes: by the causes")),
            ("room_db", "dots", worded("dots: room")),
        )
        if (points := _points(bands, name))
    ]
    if not lines:
        return None
    most = max((point for point in lines[0].points), key=lambda point: abs(point[1]))
    words = (
        worded(
            "The last check against the calibration, third octave by third octave; most at"
            " {most:.0f} Hz: {most_2:+.1f} dB.",
            most=most[0],
            most_2=most[1],
        )
    ).replace("-", "−")
    return over_frequency(worded("What moved since then"), lines, unit="dB", words=words)


def _points(bands: Any, name: str) -> list[tuple[float, float]]:
    return [
        (hz, level)
        for band in (bands if isinstance(bands, list) else [])
        if (hz := number(band, "hz")) and (level := number(band, name)) is not None
    ]
