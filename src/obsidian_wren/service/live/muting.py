"""Mute and push-to-talk: to whom the person's voice goes, feed by feed."""

from __future__ import annotations

import math
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass

from sqlalchemy.orm import Session

from obsidian_wren.core.wording import _
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live.state import current
from obsidian_wren.service.mixes import scene
from obsidian_wren.service.mixes.scene import feed_of

MUTED, PUSH = "muted", "push"
# A key that is held says so again and again; a page that went away says nothing more.
HELD_S = 3.0


@dataclass
class Talking:
    """Until when a key of push-to-talk is held, by the machine's clock; None while it is not."""

    until: float | None = None


def mute(app: AppContext, key: str | None, on: bool) -> None:
    """Keep the voice out of one feed, or of all, or let it in again. Raises Refused."""
    _set(app, key, MUTED, on)


def push_to_talk(app: AppContext, key: str | None, on: bool) -> None:
    """Let the voice into one feed, or into all, only while a key is held. Raises Refused."""
    _set(app, key, PUSH, on)


def toggle_mute(app: AppContext) -> None:
    """Mute every feed; where all are muted, let the voice into all of them again."""
    with app.sessions() as session:
        feeds, (muted, _) = feeds_in_use(session), kept(session)
    mute(app, None, not feeds <= muted)


def talk(app: AppContext, down: bool, *, holds: bool = False) -> None:
    """The key of push-to-talk is held, or let go; ``holds``: until it is let go, since nobody says
    again that it is held."""
    talking = app.own(Talking)
    was = is_talking(app)
    if not down:
        talking.until = None
    elif holds:
        talking.until = math.inf
    elif talking.until != math.inf:
        talking.until = time.monotonic() + HELD_S
        timer = threading.Timer(HELD_S + 0.1, _forgotten, args=(app,))
        timer.daemon = True
        timer.start()
    if was != down:
        apply(app)
        app.changed()


def _forgotten(app: AppContext) -> None:
    """A key of which nothing is heard any more counts as let go."""
    talking = app.own(Talking)
    if talking.until is not None and not is_talking(app):
        talking.until = None
        apply(app)
        app.changed()


def is_talking(app: AppContext) -> bool:
    """Whether the key of push-to-talk is held now."""
    until = app.own(Talking).until
    return until is not None and time.monotonic() < until


def kept(session: Session) -> tuple[frozenset[str], frozenset[str]]:
    """The feeds that are muted, and those of push-to-talk."""
    body = scene.live_wish(session).muting
    return frozenset(body.get(MUTED, ())), frozenset(body.get(PUSH, ()))


def silent_feeds(app: AppContext, session: Session) -> frozenset[str]:
    """The feeds that the voice does not go to now."""
    muted, push = kept(session)
    return muted if is_talking(app) else muted | push


def apply(app: AppContext) -> None:
    """What is live follows at once."""
    with app.sessions() as session:
        silent = silent_feeds(app, session)
    run = current(app).run
    if run is not None:
        run.mute(silent)


def feeds_in_use(session: Session) -> frozenset[str]:
    """The keys of the listeners whose feed is in use."""
    return frozenset(row.key for row in scene.destinations(session) if feed_of(row) and row.on)


def _set(app: AppContext, key: str | None, what: str, on: bool) -> None:
    change: Callable[[frozenset[str], frozenset[str]], frozenset[str]] = (
        frozenset.union if on else frozenset.difference
    )
    with app.lock, app.sessions.begin() as session:
        feeds = feeds_in_use(session)
        if key is not None and key not in feeds:
            raise Refused(
                "no-feed", _("This listener has no feed in use, so there is nothing to mute.")
            )
        wish = scene.live_wish(session)
        held = frozenset(wish.muting.get(what, ()))
        chosen = feeds if key is None else frozenset([key])
        wish.muting = {**wish.muting, what: sorted(change(held, chosen))}
    apply(app)
    app.changed()
