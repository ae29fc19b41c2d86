"""The takes of two microphones at once. Nothing here computes."""

from __future__ import annotations

from sqlalchemy import select

from obsidian_wren.core.wording import _
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.take_queries import current_takes
from obsidian_wren.store.models import Rig, Take

SECOND = "second"


def beside_of(ctx: RigContext, take: Take) -> Take:
    """The second channel that was recorded with a first. Raises Refused."""
    found = ctx.session.scalars(
        select(Take).where(Take.rig_id == take.rig_id, Take.purpose == "beside")
    )
    for one in found:
        if one.facts.get("pair") == take.facts.get("pair"):
            return one
    raise Refused("no-take", _("The second channel of this take is gone. Record both again."))


def names_of(ctx: RigContext, take: Take) -> tuple[str, str]:
    """What the two microphones of a take are called."""
    beside = beside_of(ctx, take)
    first = str(take.facts.get("microphone") or "Microphone 1")
    named = beside.facts.get(SECOND)
    if named is None and take.source == "simulated":
        rig = ctx.session.get(Rig, take.rig_id)
        named = ctx.app.world.beside_of(rig.spec_json) if rig is not None else None
    return first, str(named or "Microphone 2")


def comparable_rigs(ctx: RigContext) -> list[Rig]:
    """The other rigs that have a room and a sentence to compare with."""
    rigs = ctx.session.scalars(select(Rig).where(Rig.id != ctx.rig.id).order_by(Rig.id))
    return [rig for rig in rigs if _has_both(ctx, rig)]


def _has_both(ctx: RigContext, rig: Rig) -> bool:
    takes = current_takes(ctx.session, rig)
    return takes.quiet is not None and (takes.passage or takes.talk) is not None
