"""Takes: kept, cut off, predicted."""

from __future__ import annotations

from collections.abc import Mapping

from sqlalchemy import select

from obsidian_wren.core.derive.reasons import Value
from obsidian_wren.service import words
from obsidian_wren.service.convert import convert
from obsidian_wren.service.page import views
from obsidian_wren.service.readings import staleness
from obsidian_wren.service.rig import facts
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.store import parts
from obsidian_wren.store.models import (
    Take,
)


def takes_of(ctx: RigContext, present: Mapping[str, Value]) -> list[views.TakeView]:
    """The takes of the rig, with why each does not hold any more."""
    current = {take.id for take in ctx.takes.by_purpose.values() if take is not None}
    rows = ctx.session.scalars(
        select(Take).where(Take.rig_id == ctx.rig.id, Take.discarded.is_(False)).order_by(Take.id)
    )
    return [
        convert(
            views.TakeView,
            t,
            seconds=round(t.frames / t.rate_hz, 1),
            current=t.id in current,
            stale=staleness.stale_take(t, present),
            position=_position(t),
        )
        for t in rows
    ]


def _position(take: Take) -> float | None:
    if take.purpose == "other-gain":
        return take.gain_db
    if take.purpose != "dial":
        return None
    position = take.facts.get("slider" if take.facts.get("learns") == "slider" else "dial")
    return None if position is None else float(position)


def predictions(ctx: RigContext) -> dict[str, views.PredictionView]:
    """What physics says of takes that do not hold any more, by purpose; none where nothing can
    be said."""
    now = facts.facts_of(ctx)
    found = {}
    for purpose in ("rest", "in-use", "talk", "loud", "soft"):
        take = ctx.takes.of(purpose)
        if take is None:
            continue
        shift = staleness.shift_since(take, now, ctx.rig)
        if shift.because:
            found[purpose] = convert(views.PredictionView, shift)
    return found


def halves(ws: Workshop, running: str | None) -> list[views.HalfView]:
    """Takes that were cut off; ``running`` is the part of the one that is not."""
    return [
        _half(half)
        for half in parts.list_halves(ws.folder, running=running)
        if half.info.purpose in words.PURPOSES
    ]


def _half(half: parts.HalfTake) -> views.HalfView:
    info = half.info
    seconds = round(half.frames / info.rate_hz, 1)
    return convert(views.HalfView, half, info, seconds=seconds)
