"""The calibration file: open JSON that says what was measured, what was derived, and why.

``{"format": "obsidian-wren/calibration", "version": 1, "rig": …, "readings": …, "chain": […],
"feeds": …}``. A stage with ``"on": false`` is passed over; an unknown stage kind is refused by
name, never skipped in silence.
"""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from obsidian_wren.core.chain.filters import EqualizerBand
from obsidian_wren.core.chain.kinds import INSTANCES, KINDS
from obsidian_wren.core.chain.sequence import numbered
from obsidian_wren.core.chain.stage import BadSetting, StageSpec
from obsidian_wren.core.derive.aims import Aims
from obsidian_wren.core.derive.landing import Landing
from obsidian_wren.core.derive.setting import Setting
from obsidian_wren.core.derive.stage_plan import StagePlan, Switch
from obsidian_wren.core.derive.tone import Tone
from obsidian_wren.core.told import Told
from obsidian_wren.core.wording import worded
from obsidian_wren.formats.stage_data import lines_setting, profile_setting

FORMAT = "obsidian-wren/calibration"
VERSION = 1
FEED_NAME = "Wren: call"
SCHEMA = Path(__file__).with_name("calibration.schema.json")


class BadCalibration(Told, ValueError):
    """A calibration file that cannot be used; the message says what to do."""

    def __init__(self, sentence: str) -> None:
        super().__init__("calibration", sentence)


class BandFile(BaseModel):
    """One equalizer band."""

    model_config = ConfigDict(extra="allow", allow_inf_nan=False)
    shape: Literal["peak", "low_shelf", "high_shelf"]
    frequency_hz: float = Field(ge=10, le=96_000)
    gain_db: float = Field(ge=-40, le=40)
    q: float = Field(ge=0.05, le=50)


class SettingFile(BaseModel):
    """One setting with its because.

    ``value`` is a number, the bands of an equalizer, or rows of numbers.
    """

    model_config = ConfigDict(allow_inf_nan=False)
    value: float | list[BandFile] | list[list[float]]
    unit: str
    derived: float | list[BandFile] | list[list[float]] | None
    pinned: bool
    because: str


class StageFile(BaseModel):
    """One stage of the chain. ``key`` names it where there are several of one kind."""

    kind: str
    key: str = ""
    on: bool = True
    pinned: bool = False
    because: str = ""
    settings: dict[str, SettingFile]


class CalibrationFile(BaseModel):
    """The whole file. ``wishes``: what the person wants of the voice; ``sequence``: the keys of the
    stages in the person's order, empty for the usual one; ``name`` and ``note`` as the person gave
    them."""

    format: Literal["obsidian-wren/calibration"]
    version: Literal[1]
    rig: dict[str, Any]
    readings: dict[str, Any]
    chain: list[StageFile]
    feeds: list[dict[str, Any]]
    proof: dict[str, Any] = {}
    wishes: dict[str, Any] = {}
    sequence: list[str] = []
    name: str = ""
    note: str = ""


def _setting(setting: Setting) -> dict[str, Any]:
    return {
        "value": setting.value,
        "unit": setting.unit,
        "derived": setting.derived,
        "pinned": setting.pinned,
        "because": setting.because,
    }


def chain_json(stages: Sequence[StagePlan]) -> list[dict[str, Any]]:
    """The chain part of the file, in the order of the stages. What stands beside the first of its
    kind is named when it has something to do."""
    return [
        {"key": stage.key or stage.kind}
        | stage_json(
            stage.kind,
            stage.switch,
            {name: _setting(setting) for name, setting in stage.settings.items()},
            stage.data,
            stage.evidence,
        )
        for stage in stages
        if is_told(stage.key, stage.switch)
    ]


def is_told(key: str, switch: Switch) -> bool:
    """Whether a file names a stage: every one but an instance that nobody needs."""
    return key not in INSTANCES or switch.on or switch.pinned


def stage_json(
    kind: str,
    switch: Switch,
    settings: dict[str, Any],
    data: Mapping[str, Any],
    evidence: Any = None,
) -> dict[str, Any]:
    """One stage of the file."""
    body = dict(settings)
    if isinstance(evidence, Tone):
        body["bands"] = bands_setting(_band_rows(evidence), _residual(evidence))
    elif "bands" in data:
        body["bands"] = bands_setting([_band(band) for band in data["bands"]], switch.because)
    if "profile" in data:
        body["profile"] = profile_setting(data["profile"])
    if "lines" in data:
        body["lines"] = lines_setting(data["lines"])
    return {
        "kind": kind,
        "on": switch.on,
        "derived_on": switch.derived,
        "pinned": switch.pinned,
        "because": switch.because,
        "settings": body,
    }


def bands_setting(bands: Sequence[dict[str, Any]], because: str) -> dict[str, Any]:
    """An equalizer's bands as one setting."""
    return {
        "value": list(bands),
        "unit": "bands",
        "derived": [band.get("derived", band) for band in bands],
        "pinned": any(band.get("pinned") for band in bands),
        "because": because,
    }


def _band(band: EqualizerBand) -> dict[str, Any]:
    return {
        "shape": band.shape,
        "frequency_hz": band.frequency_hz,
        "gain_db": band.gain_db,
        "q": band.q,
    }


def _band_rows(tone: Tone) -> list[dict[str, Any]]:
    return [
        {
            **_band(n.band),
            "name": n.name,
            "pinned": n.pinned,
            "because": n.because,
            "sure_db": None if n.sure_db is None else round(n.sure_db, 2),
        }
        for n in tone.bands
    ]


def _residual(tone: Tone) -> str:
    fit = tone.fit
    return worded(
        "{residual_rms_db:.1f} dB rms remain from {low_hz:.0f} Hz to {high_hz:.1f} kHz."
        " {left_alone}",
        residual_rms_db=fit.residual_rms_db,
        low_hz=fit.low_hz,
        high_hz=fit.high_hz / 1000,
        left_alone=tone.left_alone,
    )


def feeds_json(aims: Aims, landing: Landing) -> list[dict[str, Any]]:
    """The feeds part of the file."""
    return [
        {
            "name": FEED_NAME,
            "aim_lufs": aims.loudness_lufs,
            "planned_lufs": (
                None if landing.loudness_lufs is None else round(landing.loudness_lufs, 2)
            ),
            "planned_true_peak_dbtp": round(landing.true_peak_dbtp, 2),
            "planned_peaks_dbfs": round(landing.peaks_dbfs, 2),
            "planned_range_lu": None if landing.range_lu is None else round(landing.range_lu, 2),
            "planned_floor_dbfs_a": round(max(landing.floor_dbfs_a, -200.0), 2),
            "planned_beside_voice_dbfs_a": round(max(landing.beside_voice_dbfs_a, -200.0), 2),
        }
    ]


def calibration_json(
    *,
    rig: dict[str, Any],
    readings: dict[str, Any],
    chain: list[dict[str, Any]],
    feeds: list[dict[str, Any]],
) -> dict[str, Any]:
    """The whole file as plain JSON, checked against its own model."""
    whole = {
        "format": FORMAT,
        "version": 1,
        "rig": rig,
        "readings": readings,
        "chain": chain,
        "feeds": feeds,
    }
    CalibrationFile.model_validate(whole)
    return whole


def schema_json() -> dict[str, Any]:
    """The JSON Schema (2020-12) of the file, from its model."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        **CalibrationFile.model_json_schema(),
    }


def read_calibration(path: Path) -> CalibrationFile:
    """Read and check a calibration file. Raises BadCalibration."""
    try:
        whole = json.loads(path.read_text("utf-8"))
    except OSError as error:
        raise BadCalibration(
            worded(
                "{name} cannot be opened ({strerror}). Check the name and try again.",
                name=path.name,
                strerror=error.strerror,
            )
        ) from error
    except (ValueError, RecursionError) as error:
        raise BadCalibration(
            worded("{name} is not JSON. Write it again with “obsidian-wren plan”.", name=path.name)
        ) from error
    if not isinstance(whole, dict) or whole.get("format") != FORMAT:
        raise BadCalibration(
            worded(
                "{name} is not a calibration of Obsidian Wren. Write one with “obsidian-wren"
                " plan”.",
                name=path.name,
            )
        )
    if whole.get("version") != 1:
        raise BadCalibration(
            worded(
                "{name} has version {whole}; this program reads version 1. Update the program.",
                name=path.name,
                whole=whole.get("version"),
            )
        )
    try:
        return CalibrationFile.model_validate(whole)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        raise BadCalibration(
            worded(
                "{name}, at {where}: {msg}. Fix it or write it again with “obsidian-wren plan”.",
                name=path.name,
                where=where,
                msg=first["msg"],
            )
        ) from error


def keyed_stages(file: CalibrationFile) -> dict[str, StageFile]:
    """The stages by their keys, in their order; files of older programs name kinds alone."""
    keys = numbered(stage.kind for stage in file.chain)
    return {stage.key or key: stage for stage, key in zip(file.chain, keys, strict=True)}


def chain_spec(file: CalibrationFile) -> tuple[StageSpec, ...]:
    """The chain that the file describes, in its order.

    Raises BadCalibration for a stage or setting that is not known.
    """
    return tuple(_stage(stage) for stage in file.chain)


def _stage(stage: StageFile) -> StageSpec:
    kind = KINDS.get(stage.kind)
    if kind is None:
        raise BadCalibration(
            worded(
                "This version has no stage “{kind}”. Take it out of the file, or update the"
                " program.",
                kind=stage.kind,
            )
        )
    try:
        return kind.spec_class().from_settings(
            {name: _value(setting) for name, setting in stage.settings.items()}, on=stage.on
        )
    except BadSetting as error:
        raise BadCalibration(
            worded(
                "The stage “{kind}” {error}. Fix the file or write it again with “obsidian-wren"
                " plan”.",
                kind=stage.kind,
                error=error,
            )
        ) from error


def _value(setting: SettingFile) -> float | list[EqualizerBand] | list[list[float]]:
    if isinstance(setting.value, float):
        return setting.value
    bands = [
        EqualizerBand(b.shape, b.frequency_hz, b.gain_db, b.q)
        for b in setting.value
        if isinstance(b, BandFile)
    ]
    return (
        bands
        if len(bands) == len(setting.value)
        else [row for row in setting.value if isinstance(row, list)]
    )
