"""A situation is put in force: what was derived for it before is heard at once, as long as what it
stands on is the same; else it is derived behind."""

from __future__ import annotations

import threading
from typing import Any

from sqlalchemy.orm import Session

from obsidian_wren.core.told import Told
from obsidian_wren.core.wording import _
from obsidian_wren.service import live
from obsidian_wren.service.carry.decisions import (
    basis_of,
    changes_to,
    in_force,
    situations,
)
from obsidian_wren.service.carry.rows import put_rows
from obsidian_wren.service.carry.versions import BROUGHT, keep_settings
from obsidian_wren.service.changes.record import change, tell_also
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live.holding import refuse_during_take
from obsidian_wren.service.live.preparing import prepare_anew, take_over
from obsidian_wren.service.live.simulated import let_programs_follow
from obsidian_wren.service.mixes import mixing
from obsidian_wren.service.mixes.mix_rows import STEP as MIXES
from obsidian_wren.service.recording.recording import refuse_while_recording
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.service.send.feeds import ensure_feeds
from obsidian_wren.service.situations.keeping import note_settings, situation_of
from obsidian_wren.service.undo.put_back import put
from obsidian_wren.store.models import Derivation, KeptCalibration, Situation


def use(app: AppContext, situation_id: int) -> None:
    """Put a situation in force, in one change. Raises Refused."""
    refuse_during_take(app)
    with app.sessions() as session:
        title = situation_of(in_hand(app, session), situation_id).name
    with change(app, _("Situation: {name}", name=title)) as session:
        ctx = in_hand(app, session)
        row = situation_of(ctx, situation_id)
        was = in_force(ctx)
        if was is row:
            return
        if was is not None:
            note_settings(ctx, was)
        changes = changes_to(ctx, row.decisions)
        anew = any(_takes_part(key, *both) for key, both in changes.items())
        if anew:
            refuse_while_recording(app)
        _put(ctx, row, changes, before=None if was is None else was.sha256)
    app.changed()
    if app.worker is None:
        _let_mixes_follow(app, anew)
    else:
        # The voice is as it is to be; what is sent to whom may take seconds to be worked out.
        threading.Thread(
            target=_let_mixes_follow, args=(app, anew), name="mixes", daemon=True
        ).start()


def _let_mixes_follow(app: AppContext, anew: bool) -> None:
    """``anew``: other listeners take part."""
    try:
        let_programs_follow(app)
        mixing.work_out(app)
        if anew and live.current(app).run is not None:
            with app.lock:
                with app.sessions.begin() as session:
                    prepared = prepare_anew(app, session)
                take_over(app, prepared)
        mixing.refresh(app)
        ensure_feeds(app)
    except Told as error:
        app.bus.tell("trouble", {"sentence": str(error)})
    app.changed()


def use_by_name(app: AppContext, name: str) -> str:
    """Put the situation of this name in force; gives its name as it is written. Raises Refused."""
    with app.sessions() as session:
        there = situations(in_hand(app, session))
        row = next((one for one in there if one.name.casefold() == name.casefold()), None)
        if row is None:
            raise Refused(
                "no-situation",
                _(
                    "There is no situation “{name}”. There are: {names}.",
                    name=name,
                    names=", ".join(one.name for one in there),
                )
                if there
                else _("There are no situations yet. Make one in Send, Situations."),
            )
        found, title = row.id, row.name
    use(app, found)
    return title


def use_next(app: AppContext) -> None:
    """Put the situation after the one in force in its place, and after the last the first. Raises
    Refused where there is none."""
    with app.sessions() as session:
        ctx = in_hand(app, session)
        there, now = situations(ctx), in_force(ctx)
        if not there:
            raise Refused(
                "no-situation", _("There are no situations yet. Make one in Send, Situations.")
            )
        at = -1 if now is None else [row.id for row in there].index(now.id)
        found = there[(at + 1) % len(there)].id
    use(app, found)


def _takes_part(key: str, before: Any, after: Any) -> bool:
    """Whether another listener takes part, for which what is live is made anew."""
    if not key.startswith("destination/"):
        return False
    channels = [each["pins"].get("channels") for each in (before, after)]
    return bool(before["on"] != after["on"] or channels[0] != channels[1])


def _put(
    ctx: RigContext,
    row: Situation,
    changes: dict[str, tuple[Any, Any]],
    *,
    before: str | None,
) -> None:
    """``before``: the word of the settings in force, where they are kept."""
    session: Session = ctx.session
    kept = None if row.sha256 is None else session.get(KeptCalibration, row.sha256)
    if kept is None or row.basis != basis_of(ctx):
        put(ctx.app, session, changes)
        return
    before = before or keep_settings(ctx)
    # The listeners alone: the rest is in the rows.
    put(
        ctx.app,
        session,
        {key: both for key, both in changes.items() if key.startswith("destination/")},
    )
    put_rows(ctx, kept.rows)
    if row.mixes is not None:
        session.merge(Derivation(rig_id=ctx.rig.id, step=MIXES, **row.mixes))
    tell_also(session, f"{BROUGHT}/{ctx.rig.id}", before, row.sha256)
