"""The level diagram: the takes run through the chain, looked at along the path."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from obsidian_wren.core.chain.kinds import KINDS
from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.decibels import amplitude_from_db
from obsidian_wren.core.derive.path_levels import (
    levels_here,
    point_behind,
    sound_pressure_db_spl,
)
from obsidian_wren.core.derive.path_point import PathPoint, shifted
from obsidian_wren.core.derive.take_set import TakeSet
from obsidian_wren.core.wording import _
from obsidian_wren.formats.jsonable import to_jsonable
from obsidian_wren.service.calibration.chain_order import order_of
from obsidian_wren.service.calibration.chain_rows import derived_specs
from obsidian_wren.service.calibration.setting_rows import chain_is_whole
from obsidian_wren.service.calibration.take_sets import behind, take_set_of
from obsidian_wren.service.readings.answers import keep_answer, moved_since
from obsidian_wren.service.readings.measuring import samples_of
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.hardware_rows import has_absolute_gain
from obsidian_wren.store.models import Rig, Take


def draw(ctx: RigContext) -> None:
    """The level diagram's points, from the takes run through the chain."""
    voice, rest = ctx.takes.voice, ctx.takes.quiet
    first = voice or rest
    if first is None:
        return
    moved, predicted = moved_since(ctx, first)
    if voice is not None and rest is not None:
        here, key = take_set_of(ctx, moved, refit=False)
        path = _path(ctx, here, key)
    else:
        one = samples_of(ctx.app, first) * amplitude_from_db(moved)
        talk, quiet = (one, None) if voice is not None else (None, one)
        path = [("converter", levels_here(talk, quiet, rate_hz=first.rate_hz))]
    points = [_point(name, name, found, None) for name, found in path]
    gain_db = _gain_before_converter(ctx.rig, first, moved)
    if gain_db is not None:
        converter = path[0][1]
        at_mic = replace(shifted(converter, -gain_db), delay_ms=None)
        note = _pressure(ctx.rig, converter, gain_db)
        points.insert(0, _point("mic", _("at the mic"), at_mic, note))
    body = {"points": points, "predicted": predicted}
    keep_answer(ctx, "diagram", body, moved=predicted is not None)


def _path(ctx: RigContext, here: TakeSet, key: tuple[Any, ...]) -> list[tuple[str, PathPoint]]:
    """Levels at the converter and behind the last stage of each step, as far as the chain is
    derived."""

    passed: tuple[StageSpec, ...] = ()

    def found() -> PathPoint:
        levels: PathPoint = ctx.app.answers.get(
            ("levels", key, passed), lambda: point_behind(behind(ctx.app, key, here, passed))
        )
        return levels

    specs = derived_specs(ctx)
    names = {kind.kind: kind.ends for kind in KINDS.values() if kind.ends is not None}
    points = [("converter", found())]
    whole = chain_is_whole(ctx)
    for stage in order_of(ctx.rig):
        spec = specs.get(stage)
        if spec is None and whole:
            # It came with a newer version, and is off until it is derived.
            continue
        if spec is None:
            break
        if spec.on:
            passed = (*passed, spec)
        if stage in names:
            points.append((names[stage], found()))
    return points


def _gain_before_converter(rig: Rig, take: Take, moved: float) -> float | None:
    """Gain from capsule to converter, dB, where the knob says it; after the converter nothing
    must be turned."""
    if (
        not has_absolute_gain(rig)
        or take.gain_db is None
        or rig.microphone.sensitivity_mv_pa is None
        or rig.interface.max_input_dbu is None
    ):
        return None
    pad = (rig.interface.pad_db or 0.0) if take.facts.get("pad_on") else 0.0
    return take.gain_db + moved - pad + float(take.facts.get("trim_db") or 0.0)


def _pressure(rig: Rig, converter: PathPoint, gain_db: float) -> str | None:
    if (
        converter.voice_high_dbfs is None
        or rig.microphone.sensitivity_mv_pa is None
        or rig.interface.max_input_dbu is None
    ):
        return None
    spl = sound_pressure_db_spl(
        converter.voice_high_dbfs,
        gain_db=gain_db,
        max_input_dbu=rig.interface.max_input_dbu,
        sensitivity_mv_pa=rig.microphone.sensitivity_mv_pa,
    )
    return _("{spl:.0f} dB SPL", spl=spl)


def _point(name: str, title: str, point: PathPoint, note: str | None) -> dict[str, Any]:
    return {"name": name, "title": title, "note": note, **to_jsonable(point)}
