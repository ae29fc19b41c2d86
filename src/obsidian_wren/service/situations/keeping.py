"""Situations are made from how it is now, named, changed and removed."""

from __future__ import annotations

from obsidian_wren.core.wording import _, ngettext
from obsidian_wren.service.calibration.setting_rows import chain_is_whole
from obsidian_wren.service.carry.decisions import (
    MOST_SITUATIONS,
    basis_of,
    decisions_of,
    situations,
)
from obsidian_wren.service.carry.versions import keep_settings
from obsidian_wren.service.changes.record import change
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.mixes import scene
from obsidian_wren.service.mixes.mix_rows import STEP as MIXES
from obsidian_wren.service.mixes.scene import feed_of
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.store.models import Derivation, Situation


def make(app: AppContext, name: str) -> None:
    """Make a situation from how everything is decided now. Raises Refused."""
    title = _name(name)
    with change(app, _("Made the situation {name}", name=title)) as session:
        ctx = in_hand(app, session)
        if not chain_is_whole(ctx):
            raise Refused(
                "no-chain",
                _("There is no calibration yet to decide about. Read the passage in Tone first."),
            )
        there = situations(ctx)
        _require_new(there, title)
        if len(there) >= MOST_SITUATIONS:
            raise Refused(
                "no-more",
                ngettext(
                    "There is {count} situation already. Remove one first.",
                    "There are {count} situations already. Remove one first.",
                    MOST_SITUATIONS,
                ),
            )
        row = Situation(rig_id=ctx.rig.id, name=title, follows=None, decisions=decisions_of(ctx))
        session.add(row)
        note_settings(ctx, row)
    app.changed()


def note_settings(ctx: RigContext, row: Situation) -> None:
    """The settings of now are what this situation's decisions give."""
    basis = basis_of(ctx)
    if row.sha256 is None or row.basis != basis:
        row.sha256, row.basis = keep_settings(ctx), basis
    mixes = ctx.session.get(Derivation, (ctx.rig.id, MIXES))
    row.mixes = None if mixes is None else {"body": mixes.body, "used": mixes.used}
    ctx.session.flush()


def renew(app: AppContext, situation_id: int) -> None:
    """Make a situation what is decided now. Raises Refused."""
    with app.sessions() as session:
        title = situation_of(in_hand(app, session), situation_id).name
    with change(app, _("Changed the situation {name}", name=title)) as session:
        ctx = in_hand(app, session)
        row = situation_of(ctx, situation_id)
        row.decisions, row.basis = decisions_of(ctx), None
        note_settings(ctx, row)
    app.changed()


def rename(app: AppContext, situation_id: int, name: str) -> None:
    """Call a situation otherwise. Raises Refused."""
    title = _name(name)
    with change(app, _("Renamed a situation to {name}", name=title)) as session:
        ctx = in_hand(app, session)
        row = situation_of(ctx, situation_id)
        _require_new([each for each in situations(ctx) if each is not row], title)
        row.name = title
    app.changed()


def remove(app: AppContext, situation_id: int) -> None:
    """Forget a situation; what is decided stays. Raises Refused."""
    with app.sessions() as session:
        title = situation_of(in_hand(app, session), situation_id).name
    with change(app, _("Removed the situation {name}", name=title)) as session:
        session.delete(situation_of(in_hand(app, session), situation_id))
    app.changed()


def follow_listener(app: AppContext, situation_id: int, key: str | None) -> None:
    """Use a situation by itself while a listener's feed is recorded by a program, or no longer
    (None). Raises Refused."""
    with change(app, _("What a situation follows")) as session:
        ctx = in_hand(app, session)
        row = situation_of(ctx, situation_id)
        listener = next((one for one in scene.destinations(session) if one.key == key), None)
        if key is not None and (listener is None or feed_of(listener) is None):
            raise Refused("no-feed", _("This listener has no feed that a program could record."))
        if key is not None and any(
            each.follows == key for each in situations(ctx) if each is not row
        ):
            raise Refused(
                "followed", _("Another situation follows this listener. Let that one go first.")
            )
        row.follows = key
    app.changed()


def situation_of(ctx: RigContext, situation_id: int) -> Situation:
    """One situation of the rig in hand. Raises Refused."""
    row = ctx.session.get(Situation, situation_id)
    if row is None or row.rig_id != ctx.rig.id:
        raise Refused("no-situation", _("This situation is no longer stored. Choose another one."))
    return row


def _name(name: str) -> str:
    title = " ".join(name.split())[:40]
    if not title:
        raise Refused("no-name", _("A situation needs a name. Type one."))
    return title


def _require_new(there: list[Situation], name: str) -> None:
    if any(row.name.casefold() == name.casefold() for row in there):
        raise Refused("same-name", _("There is a situation of this name. Choose another name."))
