"""A calibration file is written from what was derived."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any

from obsidian_wren.core.chain.filters import EqualizerBand
from obsidian_wren.core.chain.kinds import INSTANCES
from obsidian_wren.core.derive.aims import Aims
from obsidian_wren.core.derive.landing import Landing
from obsidian_wren.core.derive.setting import Setting
from obsidian_wren.core.derive.stage_plan import StagePlan, Switch
from obsidian_wren.core.derive.tone import Tone
from obsidian_wren.core.wording import _
from obsidian_wren.formats.calibration import FEED_NAME, FORMAT, CalibrationFile
from obsidian_wren.formats.stage_data import UNITS, lines_setting, profile_setting


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
        "unit": UNITS["bands"],
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
    return _(
        "{residual_rms_db:.1f} dB rms remain from {low_hz:.0f} Hz to {high_hz:.1f} kHz."
        " {left_alone}",
        residual_rms_db=fit.residual_rms_db,
        low_hz=fit.low_hz,
        high_hz=fit.high_hz / 1000,
        left_alone=tone.left_alone,
    )


def feeds_json(aims: Aims, landing: Landing) -> list[dict[str, Any]]:
    """The feeds part of the file."""
    planned = {
        "planned_lufs": landing.loudness_lufs,
        "planned_true_peak_dbtp": landing.true_peak_dbtp,
        "planned_peaks_dbfs": landing.peaks_dbfs,
        "planned_range_lu": landing.range_lu,
        "planned_floor_dbfs_a": max(landing.floor_dbfs_a, -200.0),
        "planned_beside_voice_dbfs_a": max(landing.beside_voice_dbfs_a, -200.0),
    }
    # Of silence there is no level.
    levels = {
        name: None if level is None or not math.isfinite(level) else round(level, 2)
        for name, level in planned.items()
    }
    return [{"name": FEED_NAME, "aim_lufs": aims.loudness_lufs, **levels}]


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
