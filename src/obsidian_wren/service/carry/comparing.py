"""Two calibrations side by side: settings that differ, and what they make of the voice."""

from __future__ import annotations

from typing import Any

import numpy as np
from pydantic import ValidationError

from obsidian_wren.core.chain.kinds import KINDS, kind_of
from obsidian_wren.core.chain.offline import render
from obsidian_wren.core.chain.sequence import title_of, with_stage
from obsidian_wren.core.decibels import Samples, power_db
from obsidian_wren.core.prove.sounding import VOICE_HZ
from obsidian_wren.core.wording import _
from obsidian_wren.formats.calibration import (
    CalibrationFile,
    FeedFile,
    StageFile,
    chain_spec,
    keyed_stages,
)
from obsidian_wren.service.carry.whole import settings_file
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.prove.versions import kept_file, version_of
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.rigs import in_hand

_IMPULSE = 1 << 15
_TODAY = 0
_LEAST = 1e-6


def file_of(ctx: RigContext, version_id: int) -> CalibrationFile:
    """A version, or with 0 what is in force now, as a calibration. Raises Refused."""
    body = (
        settings_file(ctx) if version_id == _TODAY else kept_file(ctx, version_of(ctx, version_id))
    )
    try:
        return CalibrationFile.model_validate(body)
    except ValidationError as error:
        raise Refused(
            "old-version",
            _(
                "This version is stored in a form that can no longer be compared. Bring it back"
                " and confirm a step: that stores it again."
            ),
        ) from error


def compare_versions(app: AppContext, first: int, second: int) -> dict[str, Any]:
    """Two versions by their ids, 0 for what is in force now. Raises Refused."""
    with app.sessions() as session:
        ctx = in_hand(app, session)
        return compare_files(file_of(ctx, first), file_of(ctx, second), ctx.rig.rate_hz)


def compare_files(first: CalibrationFile, second: CalibrationFile, rate_hz: int) -> dict[str, Any]:
    """The settings that differ, the feeds' plans, and how the second's tone differs, dB."""
    return {
        "settings": differing(first, second),
        "plans": _plans(first, second),
        "hz": [float(hz) for hz in VOICE_HZ],
        "db": [round(float(db), 2) for db in _tone_db(second, rate_hz) - _tone_db(first, rate_hz)],
    }


def differing(first: CalibrationFile, second: CalibrationFile) -> list[dict[str, Any]]:
    """Switches and settings in which two calibrations differ, in the order of the chain."""
    found = []
    then, now = keyed_stages(first), keyed_stages(second)
    for key in dict.fromkeys([*then, *now]):
        one, other = then.get(key), now.get(key)
        title = title_of(key)
        on = [stage is not None and stage.on for stage in (one, other)]
        if on[0] != on[1]:
            found.append(_row(key, title, "", *(_("on") if each else _("off") for each in on)))
        if one is not None and other is not None and all(on):
            found += _settings(key, one, other)
    return found


def _settings(key: str, one: StageFile, other: StageFile) -> list[dict[str, Any]]:
    found = []
    for name in dict.fromkeys([*one.settings, *other.settings]):
        values = [stage.settings.get(name) for stage in (one, other)]
        shown = [None if value is None else _shown(value.value, value.unit) for value in values]
        if shown[0] != shown[1]:
            setting = _setting_title(key, name)
            found.append(_row(key, with_stage(key, setting), setting, *shown))
    return found


def _setting_title(key: str, name: str) -> str:
    known = {parameter.name: parameter.title for parameter in kind_of(key).parameters}
    return {
        "bands": _("Bands"),
        "profile": _("Noise profile"),
        "lines": _("Harmonics"),
    }.get(name, known.get(name, name))


def _shown(value: Any, unit: str) -> str:
    """A value as it is read; of many numbers how many, and a word that tells them apart."""
    if isinstance(value, (int, float)):
        return f"{value:.4g} {unit}".strip()
    if all(hasattr(one, "frequency_hz") for one in value):
        bands = [
            _(
                "{gain_db:+.1f} dB at {frequency_hz:.0f} Hz",
                gain_db=one.gain_db,
                frequency_hz=one.frequency_hz,
            )
            for one in value
        ]
        return "; ".join(bands) or "none"
    spread = sum(float(np.sum(row)) for row in value)
    return _("{value} rows, sum {spread:.1f}", value=len(value), spread=spread)


def _row(key: str, title: str, setting: str, first: Any, second: Any) -> dict[str, Any]:
    return {"stage": key, "title": title, "setting": setting, "first": first, "second": second}


def _plans(first: CalibrationFile, second: CalibrationFile) -> list[dict[str, Any]]:
    names = {
        "planned_lufs": (_("Loudness"), "LUFS"),
        "planned_peaks_dbfs": (_("Normal peaks"), "dBFS"),
        "planned_floor_dbfs_a": (_("Noise floor in pauses"), "dBFS(A)"),
        "planned_range_lu": (_("Loudness range"), "LU"),
    }
    then, now = (file.feeds[0] if file.feeds else FeedFile() for file in (first, second))
    return [
        {"title": title, "unit": unit, "first": getattr(then, name), "second": getattr(now, name)}
        for name, (title, unit) in names.items()
    ]


def _tone_db(file: CalibrationFile, rate_hz: int) -> Samples:
    """What high-pass, equalizer and low-pass do at third octaves, dB."""
    specs = [
        spec
        for stage, spec in zip(file.chain, chain_spec(file), strict=True)
        if KINDS[stage.kind].shapes_tone
    ]
    impulse = np.zeros(_IMPULSE)
    impulse[0] = 1.0
    spectrum = np.abs(np.fft.rfft(render(specs, impulse, rate_hz=rate_hz))) ** 2
    hz = np.fft.rfftfreq(_IMPULSE, 1.0 / rate_hz)
    found = np.zeros(len(VOICE_HZ))
    for k, centre in enumerate(VOICE_HZ):
        inside = (hz > centre / 2.0 ** (1 / 6)) & (hz < min(centre * 2.0 ** (1 / 6), rate_hz / 2.0))
        if inside.any():
            found[k] = float(power_db(float(np.mean(spectrum[inside])) + _LEAST**2))
    return found
