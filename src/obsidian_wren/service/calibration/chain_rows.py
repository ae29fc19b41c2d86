"""The chain of the rig in hand, from its rows to the specifications that run."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from sqlalchemy import select

from obsidian_wren.core.chain.filters import EqualizerBand
from obsidian_wren.core.chain.kinds import KINDS, kind_of
from obsidian_wren.core.chain.left_out import without
from obsidian_wren.core.chain.offline import render
from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.measure.voice_spectrum import POINT_HZ
from obsidian_wren.service.calibration.chain_order import order_of
from obsidian_wren.service.calibration.setting_rows import chain_is_whole, lowest_first, stage_rows
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.store.models import SettingRow, StageRow


def band_of(value: dict[str, Any]) -> EqualizerBand:
    """A band from its row."""
    return EqualizerBand(value["shape"], value["frequency_hz"], value["gain_db"], value["q"])


def derived_specs(ctx: RigContext) -> dict[str, StageSpec]:
    """Every stage of the chain that is derived, as it stands, by its key."""
    stages = stage_rows(ctx)
    settings: dict[str, list[SettingRow]] = {}
    for row in ctx.session.scalars(select(SettingRow).where(SettingRow.rig_id == ctx.rig.id)):
        settings.setdefault(row.stage, []).append(row)
    return {
        key: _spec(stages[key], key, settings.get(key, []))
        for key in order_of(ctx.rig)
        if key in stages
    }


def _spec(stage: StageRow, key: str, settings: Sequence[SettingRow]) -> StageSpec:
    kind, values = kind_of(key), dict(stage.data)
    if kind.banded:
        values["bands"] = [band_of(row.value) for row in lowest_first(settings)]
    else:
        values |= {row.name: float(row.value) for row in settings}
    return kind.spec_class().from_settings(values, on=stage.runs)


def keyed_specs(ctx: RigContext) -> dict[str, StageSpec] | None:
    """The whole chain as it stands, by the keys of its stages, None before it can be derived.

    A stage that was never derived, as one that came with a newer version, is off.
    """
    return derived_specs(ctx) if chain_is_whole(ctx) else None


def chain_specs(ctx: RigContext, *, off: Sequence[str] = ()) -> tuple[StageSpec, ...] | None:
    """The whole chain as it stands, None before it can be derived. ``off`` are stages and bands to
    leave out for once."""
    specs = keyed_specs(ctx)
    return None if specs is None else without(specs, off)


def tone_specs(ctx: RigContext) -> tuple[StageSpec, ...] | None:
    """High-pass, equalizer and low-pass: what corrects the tone. None before a fit."""
    specs = derived_specs(ctx)
    keys = [key for key in order_of(ctx.rig) if key in KINDS and KINDS[key].shapes_tone]
    return tuple(specs[key] for key in keys) if specs.keys() >= set(keys) else None


def correction_rows(specs: Sequence[StageSpec], rate_hz: int) -> list[list[float]]:
    """What the filters do, as rows of Hz and dB at 1/12-octave points: the spectrum of their
    answer to one impulse."""
    impulse = np.zeros(1 << 16)
    impulse[0] = 1.0
    spectrum = np.abs(np.fft.rfft(render(specs, impulse, rate_hz=rate_hz)))
    hz = np.fft.rfftfreq(len(impulse), 1.0 / rate_hz)
    wanted = POINT_HZ[POINT_HZ < 0.45 * rate_hz]
    return [
        [
            round(float(f), 2),
            round(float(20.0 * np.log10(max(np.interp(f, hz, spectrum), 1e-9))), 3),
        ]
        for f in wanted
    ]
