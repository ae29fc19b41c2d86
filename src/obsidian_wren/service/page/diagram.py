"""The level diagram: the kept points, then what each listener gets."""

from __future__ import annotations

import dataclasses
from collections.abc import Mapping

from obsidian_wren.core.derive.path_point import PathPoint, at_listener
from obsidian_wren.service.carry.levels import named
from obsidian_wren.service.convert import convert
from obsidian_wren.service.mixes import mix_rows, scene
from obsidian_wren.service.mixes.inputs import InputView, inputs_of
from obsidian_wren.service.mixes.mix_rows import KeptMix
from obsidian_wren.service.page import views
from obsidian_wren.service.readings import staleness
from obsidian_wren.service.rig import facts
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.store.models import (
    Derivation,
    DestinationRow,
)


def diagram(ctx: RigContext, stale: str | None) -> list[views.DiagramPointView]:
    """The kept points, then what each destination gets by what it picked.

    Where a knob was turned since, moved by what physics says.
    """
    row = ctx.session.get(Derivation, (ctx.rig.id, "diagram"))
    if row is None:
        return []
    points = [_named(views.DiagramPointView(**point)) for point in row.body["points"]]
    predicted = row.body.get("predicted") is not None
    if stale:
        points = [_predicted_point(ctx, point) for point in points]
    elif predicted:
        points = [point.model_copy(update={"predicted": True}) for point in points]
    by_name = {point.name: point for point in points}
    shown = list(points)
    inputs = {entry.name: entry for entry in inputs_of(ctx)}
    mixes = mix_rows.kept_mixes(ctx.session, ctx.rig).listeners
    for destination in scene.destinations(ctx.session):
        heard = _heard(destination, inputs, mixes, by_name) if destination.on else None
        if heard is not None:
            shown.append(heard)
    return shown


def _named(point: views.DiagramPointView) -> views.DiagramPointView:
    name, title = named(point.name, point.title)
    return point.model_copy(update={"name": name, "title": title})


def _heard(
    destination: DestinationRow,
    inputs: Mapping[str, InputView],
    mixes: Mapping[str, KeptMix],
    points: Mapping[str, views.DiagramPointView],
) -> views.DiagramPointView | None:
    """What a listener gets of the voice: the converter's where it picked the device, else the
    levelled one as its mix carries it."""
    title = {"name": f"to:{destination.key}", "title": destination.name}
    levelled, converter = points.get("levelled"), points.get("converter")
    if levelled is None:
        return None
    picked = inputs.get(destination.picks or "")
    if picked is not None and picked.kind == "raw":
        return (
            converter.model_copy(update={**title, "note": "raw"}) if converter is not None else None
        )
    entry = mixes.get((picked.of if picked is not None else None) or destination.key)
    if entry is None or entry.voice_gain_db is None:
        return None
    here = at_listener(
        convert(PathPoint, levelled),
        gain_db=entry.voice_gain_db,
        ceiling_dbtp=entry.ceiling_dbtp,
    )
    return levelled.model_copy(update={**title, "note": None, **_rounded(here)})


def _rounded(point: PathPoint) -> dict[str, float | None]:
    return {
        name: None if level is None else round(level, 2)
        for name, level in dataclasses.asdict(point).items()
    }


def _predicted_point(
    ctx: RigContext,
    point: views.DiagramPointView,
) -> views.DiagramPointView:
    now = facts.facts_of(ctx)
    take_set = ctx.takes.voice
    voice = staleness.shift_since(take_set, now, ctx.rig).voice_db if take_set is not None else 0.0
    room = (
        staleness.shift_since(ctx.takes.quiet, now, ctx.rig).room_db
        if ctx.takes.quiet is not None
        else 0.0
    )
    if point.name == "mic" and take_set is not None:
        # The knob comes after the microphone: only a changed distance moves what stands before it.
        voice -= staleness.shift_since(take_set, now, ctx.rig).room_db
        room = 0.0
    if not voice and not room:
        return point

    def moved(level: float | None, by: float) -> float | None:
        return None if level is None else min(0.0, round(level + by, 2))

    return point.model_copy(
        update={
            "voice_low_dbfs": moved(point.voice_low_dbfs, voice),
            "voice_high_dbfs": moved(point.voice_high_dbfs, voice),
            "peak_dbfs": moved(point.peak_dbfs, voice),
            "floor_dbfs_a": moved(point.floor_dbfs_a, room),
            "predicted": True,
        }
    )
