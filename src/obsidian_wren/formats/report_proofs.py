"""The pictures of what was proved: blind series, and what the last check found moved."""

from __future__ import annotations

from collections.abc import Sequence

from obsidian_wren.core.wording import _
from obsidian_wren.formats.calibration import CalibrationFile, DriftBandFile, SeriesFile
from obsidian_wren.formats.charts import Chart, Count, Curve, counts, over_frequency

_MOST = 12


def proved_charts(file: CalibrationFile) -> tuple[Chart, ...]:
    """The series against chance, and the last check, where there are any."""
    found = (_series(file.proof.series), _drift(file.proof.last_check_bands))
    return tuple(chart for chart in found if chart is not None)


def _series(kept: Sequence[SeriesFile]) -> Chart | None:
    rows = [Count(one.title, one.first, one.rounds, one.chance_range) for one in kept[-_MOST:]]
    if not rows:
        return None
    sentences = "; ".join(
        _("{name}: {first:g} of {rounds}", name=row.name, first=row.first, rounds=row.rounds)
        for row in rows
    )
    words = _(
        "Blind series; grey is where chance alone lands in 95 of 100. {told}.", told=sentences
    )
    return counts(_("Blind series"), rows, words)


def _drift(bands: Sequence[DriftBandFile]) -> Chart | None:
    lines = [
        Curve(points, look, label)
        for name, look, label in (
            ("change_db", "solid", _("solid: voice")),
            ("explained_db", "dashes", _("dashes: by the causes")),
            ("room_db", "dots", _("dots: room")),
        )
        if (points := _points(bands, name))
    ]
    if not lines:
        return None
    most = max((point for point in lines[0].points), key=lambda point: abs(point[1]))
    words = _(
        "The last check against the calibration, third octave by third octave; largest at"
        " {most:.0f} Hz: {most_2:+.1f} dB.",
        most=most[0],
        most_2=most[1],
    )
    return over_frequency(_("What moved since then"), lines, unit="dB", words=words)


def _points(bands: Sequence[DriftBandFile], name: str) -> list[tuple[float, float]]:
    return [
        (band.hz, level) for band in bands if band.hz and (level := getattr(band, name)) is not None
    ]
