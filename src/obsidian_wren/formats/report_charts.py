"""The pictures of a report, from what a calibration file holds.

Source: the static curve of a compressor with a soft knee after Giannoulis, Massberg and Reiss
(2012).
"""

from __future__ import annotations

from typing import Any

import numpy as np

from obsidian_wren.core.chain.kinds import KINDS
from obsidian_wren.core.chain.offline import render
from obsidian_wren.core.numerals import frequency, with_sign, with_unit
from obsidian_wren.core.wording import _
from obsidian_wren.formats.calibration import CalibrationFile, chain_spec
from obsidian_wren.formats.charts import (
    Bar,
    Chart,
    Curve,
    bars,
    level_curve,
    over_frequency,
    over_time,
)
from obsidian_wren.formats.report_levels import ladder
from obsidian_wren.formats.report_proofs import proved_charts

_IMPULSE = 1 << 15
_SHOWN_HZ, _TOLD_HZ = (40.0, 16_000.0), (100.0, 10_000.0)
_LOWEST_DBFS = -70.0


def charts(file: CalibrationFile) -> list[Chart]:
    """The pictures that a calibration holds, in the order of the steps."""
    found = (
        ladder(file),
        _bands(file),
        _peaks(file),
        _correction(file),
        _curve(file),
        _listeners(file),
        *proved_charts(file),
    )
    return [chart for chart in found if chart is not None]


def _bands(file: CalibrationFile) -> Chart | None:
    lines = [
        Curve(points, look, label)
        for part, look, label in (
            ("talk", "solid", _("solid: voice")),
            ("quiet", "dots", _("dots: room")),
        )
        if (points := _third_octaves(getattr(file.readings, part)))
    ]
    if not lines:
        return None
    talk = file.readings.talk
    words = _(
        "Voice and room in third octaves: the voice is {number} over the room.",
        number=with_unit(None if talk is None else talk.snr_db, "dB", 0),
    )
    return over_frequency(_("Voice and room in third octaves"), lines, unit="dBFS", words=words)


def _peaks(file: CalibrationFile) -> Chart | None:
    """The peaks of each second of talk, over where they should be."""
    reading, ends = file.readings.talk, file.rig.aim_dbfs
    seconds: list[float | None] = (None if reading is None else reading.peaks_by_second_dbfs) or []
    peaks = [level for level in seconds if level is not None]
    if not peaks or ends is None:
        return None
    inside = sum(ends[0] <= peak <= ends[1] for peak in peaks)
    words = _(
        "Peaks of your talk, second by second: {inside} of {peaks} lie between {ends} and"
        " {ends_2}.",
        inside=inside,
        peaks=len(peaks),
        ends=with_unit(ends[0], "dBFS", 0),
        ends_2=with_unit(ends[1], "dBFS", 0),
    )
    return over_time(_("Peaks of the talk"), peaks, ends, words)


def _third_octaves(reading: Any) -> list[tuple[float, float]]:
    return [
        (row.centre_hz, row.level_dbfs)
        for row in (None if reading is None else reading.third_octaves) or []
        if row is not None and row.centre_hz and row.level_dbfs is not None
    ]


def _correction(file: CalibrationFile) -> Chart | None:
    """What the filters of the tone do together."""
    rate = file.rig.rate_hz or 48_000.0
    specs = [
        spec
        for stage, spec in zip(file.chain, chain_spec(file), strict=True)
        if KINDS[stage.kind].shapes_tone and spec.on
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
    words = _(
        "High-pass, equalizer and low-pass together; most between 100 Hz and 10 kHz: {most}"
        " at {most_2}.",
        most=with_sign(most[1], "dB"),
        most_2=frequency(most[0]),
    )
    line = Curve(shown, "aim", _("correction"))
    return over_frequency(_("What is done to the tone"), [line], unit="dB", words=words)


def _curve(file: CalibrationFile) -> Chart | None:
    """What the compressor makes of a steady level."""
    stage = next((one for one in file.chain if one.kind == "compressor" and one.on), None)
    if stage is None:
        return None
    values = {
        name: setting.value
        for name, setting in stage.settings.items()
        if isinstance(setting.value, float)
    }
    threshold, ratio = values["threshold_dbfs"], values["ratio"]
    knee, makeup = values["knee_db"], values["makeup_db"]
    level = np.linspace(_LOWEST_DBFS, 0.0, 141)
    over = level - threshold
    inside = np.clip(over + knee / 2.0, 0.0, knee)
    soft = inside**2 / (2.0 * knee) if knee > 0.0 else np.maximum(over, 0.0)
    bent = soft + np.maximum(over - knee / 2.0, 0.0) if knee > 0.0 else soft
    out = level + makeup + (1.0 / ratio - 1.0) * bent
    words = _(
        "From {threshold} up, {ratio:.1f} dB more in give 1 dB more out; {makeup} bring the"
        " voice back up.",
        threshold=with_unit(threshold, "dBFS", 0),
        ratio=ratio,
        makeup=with_sign(makeup, "dB"),
    )
    points = [(float(x), float(y)) for x, y in zip(level, out, strict=True)]
    return level_curve(_("The compressor"), points, low=_LOWEST_DBFS, words=words)


def _listeners(file: CalibrationFile) -> Chart | None:
    """How loud each listener gets it, against the target."""
    found = []
    for feed in file.feeds:
        if feed.planned_lufs is not None:
            found.append(Bar(feed.listener or feed.name or "", feed.planned_lufs, feed.aim_lufs))
    if not found:
        return None
    words = "; ".join(
        _("{name} gets {value}", name=one.name, value=with_unit(one.value, "LUFS"))
        + ("" if one.aim is None else _(", its target is {aim}", aim=with_unit(one.aim, "LUFS")))
        for one in found
    )
    return bars(
        _("How loud each listener gets it"), found, low=-42.0, unit="LUFS", words=f"{words}."
    )
