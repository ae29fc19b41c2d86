"""A person accepts a step as it stands."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from obsidian_wren.core.wording import _
from obsidian_wren.service.calibration.setting_rows import chain_is_whole
from obsidian_wren.service.carry.versions import keep_version
from obsidian_wren.service.changes.record import change
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.context.clock import now
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.mixes.scene import kind_of
from obsidian_wren.service.readings.doubts import what_it_asks
from obsidian_wren.service.rig.facts import facts_of
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.service.rig.take_queries import current_takes
from obsidian_wren.service.words import STEP_TITLES, StepName
from obsidian_wren.store.models import Confirmed, Derivation, DestinationRow, Proof


def proved_listeners(session: Session) -> tuple[int, int]:
    """How many listeners in use that pick an input get what is meant, by the newest proof of
    each, and how many there are."""
    rows = [row for row in session.scalars(select(DestinationRow)) if row.on and kind_of(row).picks]
    newest = {
        proof.destination: proof for proof in session.scalars(select(Proof).order_by(Proof.id))
    }
    good = [
        row
        for row in rows
        if row.key in newest and newest[row.key].good and newest[row.key].picks == row.picks
    ]
    return len(good), len(rows)


def confirm_step(app: AppContext, step: StepName, *, anyway: bool = False) -> None:
    """A person accepts a step as it stands.

    Refused, with what to do, while it stands on nothing; and where a finding makes all that
    follows wrong, unless the person says ``anyway``.
    """
    with change(app, _("Confirmed {step}", step=STEP_TITLES[step])) as session:
        ctx = in_hand(app, session)
        rig = ctx.rig
        takes = current_takes(session, rig)
        missing = {
            "quiet": None if takes.quiet else _("Record the room first."),
            "gain": None if takes.talk else _("Record normal talk first."),
            "clean": (
                None
                if session.get(Derivation, (rig.id, "clean"))
                else _("Record the room and normal talk first.")
            ),
            "tone": (
                None if session.get(Derivation, (rig.id, "tone")) else _("Read the passage first.")
            ),
            "steady": (
                None
                if chain_is_whole(ctx)
                else _("Read the passage first: dynamics come after the tone.")
            ),
            "send": _unproved(session),
            "prove": (None if chain_is_whole(ctx) else _("Read the passage first, in Tone.")),
        }.get(step)
        if missing:
            raise Refused("not-yet", missing)
        asks = what_it_asks(ctx, step)
        if asks is not None and not anyway:
            raise Refused("asks", asks)
        session.merge(Confirmed(rig_id=rig.id, step=step, at=now(), basis=facts_of(ctx)))
        keep_version(ctx, step=step)
    app.changed()


def _unproved(session: Session) -> str | None:
    """Why Send cannot be confirmed yet."""
    good, all_ = proved_listeners(session)
    if not all_:
        return _("No listener is in use yet. Set up a case first.")
    if good < all_:
        return _(
            "The treated voice is proved at {good} of {all} listeners. Send the marker, and fix"
            " what it finds.",
            good=good,
            all=all_,
        )
    return None
