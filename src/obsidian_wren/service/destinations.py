"""The listeners of this program's life, each with what it picked last time."""

from __future__ import annotations

from sqlalchemy.orm import Session

from obsidian_wren.service.kept import FEED_NAME, raw_name
from obsidian_wren.service.rigs import the_rig
from obsidian_wren.service.workshop import Listeners, Workshop
from obsidian_wren.store.models import Destination


def listeners_of(ws: Workshop, session: Session, rate_hz: int | None = None) -> Listeners:
    """The call and the recorder, with what each picked last time. A call picks the raw device until someone changes it."""
    held = ws.listeners
    if held is None or (rate_hz is not None and held.call.rate_hz != rate_hz):
        rate_hz = rate_hz or 48_000
        held = ws.listeners = Listeners(ws.world.make_call(rate_hz), ws.world.make_recorder(rate_hz))
        for listener, first in ((held.call, raw_name(session, the_rig(ws, session))), (held.recorder, FEED_NAME)):
            row = session.get(Destination, listener.name)
            if row is None:
                row = Destination(name=listener.name, kind=listener.kind, picks=first)
                session.add(row)
            listener.picks = row.picks
    return held
