"""The level diagram: the takes run through the chain, looked at along the path."""

from __future__ import annotations

from functools import partial
from typing import Any

from obsidian_wren.core.chain.kinds import KINDS
from obsidian_wren.core.decibels import amplitude_from_db
from obsidian_wren.core.derive.path_levels import (
    PathPoint,
    levels_here,
    shifted,
    sound_pressure_db_spl,
)
from obsidian_wren.core.derive.take_set import TakeSet
from obsidian_wren.formats.jsonable import to_jsonable
from obsidian_wren.service.calibration.chain_order import order_of
from obsidian_wren.service.calibration.chain_rows import spec_of
from obsidian_wren.service.calibration.setting_rows import chain_is_whole, stage_rows
from obsidian_wren.service.calibration.take_sets import follower, take_set_of
from obsidian_wren.service.readings.answers import keep_answer, moved_since
from obsidian_wren.service.readings.measuring import room_shift_db, samples_of
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.hardware_rows import has_absolute_gain
from obsidian_wren.store.models import Rig, Take


def draw(ctx: RigContext) -> None:
    """The level diagram's points, from the takes run through the chain."""
    take_set, rest = ctx.takes.voice, ctx.takes.quiet
    first = take_set or rest
    if first is None:
        return
    moved, predicted = moved_since(ctx, first)
    talk = samples_of(ctx.ws, take_set) * amplitude_from_db(moved) if take_set else None
    quiet = None
    if rest is not None:
        to_voice = room_shift_db(rest, take_set, ctx.rig) if take_set is not None else 0.0
        quiet = samples_of(ctx.ws, rest) * amplitude_from_db(to_voice + moved)
    converter = levels_here(talk, quiet, rate_hz=first.rate_hz)
    points: list[dict[str, Any]] = []
    gain_db = _gain_before_converter(ctx.rig, first, moved)
    if gain_db is not None:
        points.append(
            _point(
                "mic",
                "at the mic",
                shifted(converter, -gain_db),
                _pressure(ctx.rig, converter, gain_db),
            )
        )
    points.append(_point("converter", "converter", converter, None))
    if take_set is not None and rest is not None:
        points += _after_stages(ctx, moved)
    body = {"points": points, "predicted": predicted}
    keep_answer(ctx, "diagram", body, moved=predicted is not None)


def _after_stages(ctx: RigContext, moved: float) -> list[dict[str, Any]]:
    """Levels behind the last stage of each step, as far as the chain is derived."""
    here, key = take_set_of(ctx, moved, refit=False)
    follow, rows = follower(ctx.ws, key), stage_rows(ctx)
    names = {kind.kind: kind.ends for kind in KINDS.values() if kind.ends is not None}
    points = []
    whole = chain_is_whole(ctx)
    for kind in order_of(ctx.rig):
        spec = spec_of(ctx, kind, rows)
        if spec is None and whole:
            # It came with a newer version, and is off until it is derived.
            continue
        if spec is None:
            break
        here = follow(here, spec)
        if kind in names:
            found = ctx.ws.answers.get(("levels", key, here.passed), partial(_levels, here))
            points.append(_point(names[kind], names[kind], found, None))
    return points


def _levels(here: TakeSet) -> PathPoint:
    return levels_here(here.talk, here.rest, rate_hz=here.rate_hz)


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
    return f"{spl:.0f} dB SPL"


def _point(name: str, title: str, point: PathPoint, note: str | None) -> dict[str, Any]:
    return {"name": name, "title": title, "note": note, **to_jsonable(point)}
