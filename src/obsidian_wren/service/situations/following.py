"""A situation that follows who listens: used while a program records a listener's feed, and left
again when none does any more."""

from __future__ import annotations

import logging
import threading

from obsidian_wren.core.wording import _
from obsidian_wren.service import live, takes
from obsidian_wren.service.carry.decisions import Following, in_force, situations
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.mixes import own_system, scene
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.service.situations.switching import use

_LOG = logging.getLogger(__name__)
_LOOK_EVERY_S = 1.0


def hold_off(app: AppContext, on: bool) -> None:
    """Let nothing follow by itself for now, or let it again. It ends with the program."""
    app.own(Following).held_off = on
    app.changed()
    attend(app)


def recorded(app: AppContext) -> frozenset[str]:
    """The listeners whose feeds programs record now, by their keys."""
    system = app.world.system
    if system is not None:
        names = {system.input_name(key): key for key in own_system.current(app).held}
        return frozenset(
            names[one.microphone] for one in system.seen.listeners if one.microphone in names
        )
    with app.sessions() as session:
        return frozenset(
            row.key
            for row in scene.destinations(session)
            if row.on and row.picks is not None and row.picks == scene.feed_of(row)
        )


def attend(app: AppContext) -> None:
    """Use what is due. Never while a marker flies or a take runs: it waits for their end."""
    following = app.own(Following)
    with app.sessions() as session:
        ctx = in_hand(app, session)
        rules = {row.id: row.follows for row in situations(ctx) if row.follows is not None}
        now = in_force(ctx) if rules or following.using is not None else None
        now_id, there = None if now is None else now.id, {row.id for row in situations(ctx)}
    listened = recorded(app) if rules else frozenset()
    due = None
    if not following.held_off:
        due = next((found for found, key in rules.items() if key in listened), None)
    if due == following.using:
        _waits(app, following, None)
        return
    run = live.current(app).running
    if (run is not None and run.marker_in_flight) or takes.current(app).running is not None:
        _waits(app, following, _("It waits for the end of the marker or of the take."))
        return
    goes_to = due
    if due is None and now_id == following.using and following.before in there:
        # What the person chose meanwhile stays.
        goes_to = following.before
    try:
        if goes_to is not None and goes_to != now_id:
            use(app, goes_to)
    except Refused as error:
        _waits(app, following, str(error))
        return
    if due is None:
        following.before = None
    elif following.using is None:
        following.before = now_id
    following.using = due
    following.waits = None
    app.changed()


def _waits(app: AppContext, following: Following, why: str | None) -> None:
    if following.waits != why:
        following.waits = why
        app.changed()


def start_following(app: AppContext) -> None:
    """Follow from now on, until the program ends."""
    ended = threading.Event()

    following = app.own(Following)

    def follow() -> None:
        seen = -1
        while not ended.wait(_LOOK_EVERY_S):
            # Whatever is due has changed something, or waits for its turn.
            if app.revision == seen and following.waits is None:
                continue
            seen = app.revision
            try:
                attend(app)
            except Exception:
                _LOG.exception("Following who listens failed")

    thread = threading.Thread(target=follow, name="situations", daemon=True)
    thread.start()

    def end() -> None:
        ended.set()
        thread.join(timeout=5)

    app.at_end(end)
