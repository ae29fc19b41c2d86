"""The situations, and what follows by itself."""

from __future__ import annotations

from obsidian_wren.service.carry import decisions
from obsidian_wren.service.convert import convert
from obsidian_wren.service.mixes import scene
from obsidian_wren.service.page import send_views
from obsidian_wren.service.rig.context import RigContext


def situations(ctx: RigContext) -> list[send_views.SituationView]:
    """Every situation of the rig, with where it decides otherwise than now."""
    rows = decisions.situations(ctx)
    if not rows:
        return []
    now = decisions.decisions_of(ctx)
    names = {row.key: row.name for row in scene.destinations(ctx.session)}
    used = {row.key for row in scene.destinations(ctx.session) if row.on}
    in_force = next((row for row in rows if decisions.same(row.decisions, now)), None)
    by_itself = ctx.app.own(decisions.Following).using
    return [
        send_views.SituationView(
            id=row.id,
            name=row.name,
            in_force=row is in_force,
            follows=row.follows,
            follows_name=names.get(row.follows or ""),
            can_follow=row.follows in used,
            used_by_itself=row.id == by_itself,
            differs=[
                convert(send_views.DecidedView, each)
                for each in decisions.differing(ctx, now, row.decisions)
            ],
        )
        for row in rows
    ]


def following(ctx: RigContext) -> send_views.FollowingView:
    """What follows by itself now."""
    state = ctx.app.own(decisions.Following)
    return send_views.FollowingView(held_off=state.held_off, waits=state.waits)
