"""Takes: kept, cut off, predicted."""

from __future__ import annotations

from collections.abc import Mapping

from obsidian_wren.core.derive.reasons import Value
from obsidian_wren.core.derive.shift import Shift
from obsidian_wren.service import words
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.convert import convert
from obsidian_wren.service.page import views
from obsidian_wren.service.readings import staleness
from obsidian_wren.service.rig import facts
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.service.rig.take_queries import newest_takes, older_takes
from obsidian_wren.store import parts
from obsidian_wren.store.models import (
    Take,
)


def takes_of(
    ctx: RigContext, present: Mapping[str, Value]
) -> tuple[list[views.TakeView], list[str]]:
    """The takes in force and the newest few of each purpose, with why each does not hold any more;
    and the purposes that have older ones."""
    newest, older = newest_takes(ctx.session, ctx.rig)
    there = {take.id for take in newest}
    in_force = [t for t in ctx.takes.by_purpose.values() if t is not None and t.id not in there]
    takes = sorted([*newest, *in_force], key=lambda take: take.id)
    return [_take(ctx, take, present) for take in takes], older


def older_than(app: AppContext, purpose: str, before: int) -> views.OlderTakesView:
    """Takes of a purpose that are older than one, as they are asked for."""
    with app.sessions() as session:
        ctx = in_hand(app, session)
        present = staleness.sources_now(ctx)
        found = older_takes(session, ctx.rig, purpose, before=before)
        return views.OlderTakesView(takes=[_take(ctx, take, present) for take in found])


def _take(ctx: RigContext, take: Take, present: Mapping[str, Value]) -> views.TakeView:
    return convert(
        views.TakeView,
        take,
        seconds=round(take.frames / take.rate_hz, 1),
        current=take is ctx.takes.of(take.purpose),
        stale=staleness.stale_take(take, present),
        position=_position(take),
    )


def _position(take: Take) -> float | None:
    if take.purpose == "other-gain":
        return take.gain_db
    if take.purpose != "dial":
        return None
    position = take.facts.get("slider" if take.facts.get("learns") == "slider" else "dial")
    return None if position is None else float(position)


def predictions(ctx: RigContext) -> dict[str, Shift]:
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
            found[purpose] = shift
    return found


def halves(app: AppContext, running: str | None) -> list[views.HalfView]:
    """Takes that were cut off; ``running`` is the part of the one that is not."""
    return [
        _half(half)
        for half in parts.list_halves(app.folder, running=running)
        if half.info.purpose in words.PURPOSES
    ]


def _half(half: parts.HalfTake) -> views.HalfView:
    info = half.info
    seconds = round(half.frames / info.rate_hz, 1)
    return convert(views.HalfView, half, info, seconds=seconds)
