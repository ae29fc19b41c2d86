"""The calibration file: open JSON that says what was measured, what was derived, and why.

``{"format": "obsidian-wren/calibration", "version": 1, "rig": …, "readings": …, "chain": […], "feeds": …}``. A stage with
``"on": false`` is passed over; an unknown stage kind is refused by name, never skipped in silence.
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from obsidian_wren.core.chain.filters import EqualizerBand
from obsidian_wren.core.chain.stage import BadSetting, StageSpec
from obsidian_wren.core.chain.stages import BY_KIND
from obsidian_wren.core.derive.delivery import RELEASE_S, Delivery
from obsidian_wren.core.derive.highpass import HighpassRule
from obsidian_wren.core.derive.setting import Setting
from obsidian_wren.core.derive.tone import Tone

FORMAT = "obsidian-wren/calibration"
FEED_NAME = "Wren: voice"


class BadCalibration(ValueError):
    """A calibration file that cannot be used; the message says what to do."""


class BandFile(BaseModel):
    """One equalizer band."""

    model_config = ConfigDict(extra="allow")
    shape: Literal["peak", "low_shelf", "high_shelf"]
    frequency_hz: float = Field(ge=10, le=96_000)
    gain_db: float = Field(ge=-40, le=40)
    q: float = Field(ge=0.05, le=50)


class SettingFile(BaseModel):
    """One setting with its because. ``value`` is a number, or the bands of an equalizer."""

    value: float | list[BandFile]
    unit: str
    derived: float | list[BandFile]
    pinned: bool
    because: str


class StageFile(BaseModel):
    """One stage of the chain."""

    kind: str
    on: bool = True
    settings: dict[str, SettingFile]


class CalibrationFile(BaseModel):
    """The whole file."""

    format: Literal["obsidian-wren/calibration"]
    version: Literal[1]
    rig: dict[str, Any]
    readings: dict[str, Any]
    chain: list[StageFile]
    feeds: list[dict[str, Any]]


def _setting(setting: Setting) -> dict[str, Any]:
    return {
        "value": setting.value, "unit": setting.unit, "derived": setting.derived, "pinned": setting.pinned, "because": setting.because,
    }  # fmt: skip


def release_setting() -> dict[str, Any]:
    """The limiter's release, the same for everyone so far."""
    because = "Time to 63 %: short enough to follow syllables, long enough not to rattle."
    return _setting(Setting(RELEASE_S * 1000.0, "ms", RELEASE_S * 1000.0, False, because))


def chain_json(highpass: HighpassRule, tone: Tone, delivery: Delivery) -> list[dict[str, Any]]:
    """The chain part of the file, in the default order."""
    bands = [
        {
            "shape": n.band.shape, "frequency_hz": n.band.frequency_hz, "gain_db": n.band.gain_db, "q": n.band.q,
            "name": n.name, "pinned": n.pinned, "because": n.because,
        }
        for n in tone.bands
    ]  # fmt: skip
    left = f"{tone.fit.left_over_rms_db:.1f} dB rms are left over from {tone.fit.low_hz:.0f} Hz to {tone.fit.high_hz / 1000:.1f} kHz. {tone.left_alone}"
    return [
        {"kind": "highpass", "on": True, "settings": {"frequency_hz": _setting(highpass.frequency_hz), "order": _setting(highpass.order)}},
        {
            "kind": "equalizer", "on": True,
            "settings": {"bands": {"value": bands, "unit": "bands", "derived": bands, "pinned": any(n.pinned for n in tone.bands), "because": left}},
        },
        {"kind": "gain", "on": True, "settings": {"gain_db": _setting(delivery.gain_db)}},
        {"kind": "limiter", "on": True, "settings": {"ceiling_dbtp": _setting(delivery.ceiling_dbtp), "release_ms": release_setting()}},
    ]  # fmt: skip


def feeds_json(delivery: Delivery) -> list[dict[str, Any]]:
    """The feeds part of the file."""
    return [
        {
            "name": FEED_NAME, "aim_lufs": delivery.aim_lufs,
            "planned_lufs": round(delivery.planned_lufs, 2), "planned_true_peak_dbtp": round(delivery.planned_true_peak_dbtp, 2),
        }
    ]  # fmt: skip


def calibration_json(
    *, rig: dict[str, Any], readings: dict[str, Any], chain: list[dict[str, Any]], feeds: list[dict[str, Any]]
) -> dict[str, Any]:
    """The whole file as plain JSON, checked against its own model."""
    whole = {"format": FORMAT, "version": 1, "rig": rig, "readings": readings, "chain": chain, "feeds": feeds}
    CalibrationFile.model_validate(whole)
    return whole


def read_calibration(path: Path) -> CalibrationFile:
    """Read and check a calibration file. Raises BadCalibration."""
    try:
        whole = json.loads(path.read_text("utf-8"))
    except OSError as error:
        raise BadCalibration(f"{path.name} cannot be opened ({error.strerror}). Check the name and try again.") from error
    except (ValueError, UnicodeDecodeError) as error:
        raise BadCalibration(f"{path.name} is not JSON ({error}). Write it again with “obsidian-wren plan”.") from error
    if not isinstance(whole, dict) or whole.get("format") != FORMAT:
        raise BadCalibration(f"{path.name} is not a calibration of Obsidian Wren. Write one with “obsidian-wren plan”.")
    if whole.get("version") != 1:
        raise BadCalibration(f"{path.name} has version {whole.get('version')}; this program reads version 1. Update the program.")
    try:
        return CalibrationFile.model_validate(whole)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        raise BadCalibration(f"{path.name}, at {where}: {first['msg']}. Mend it or write it again with “obsidian-wren plan”.") from error


def chain_spec(file: CalibrationFile) -> tuple[StageSpec, ...]:
    """The chain that the file describes, in its order. Raises BadCalibration for a stage or setting that is not known."""
    return tuple(_stage(stage) for stage in file.chain)


def _stage(stage: StageFile) -> StageSpec:
    spec = BY_KIND.get(stage.kind)
    if spec is None:
        raise BadCalibration(f"This version has no stage “{stage.kind}”. Take it out of the file, or update the program.")
    try:
        return spec.from_settings({name: _value(setting) for name, setting in stage.settings.items()}, on=stage.on)
    except BadSetting as error:
        raise BadCalibration(f"The stage “{stage.kind}” {error}. Mend the file or write it again with “obsidian-wren plan”.") from error


def _value(setting: SettingFile) -> float | list[EqualizerBand]:
    if isinstance(setting.value, float):
        return setting.value
    return [EqualizerBand(b.shape, b.frequency_hz, b.gain_db, b.q) for b in setting.value]
