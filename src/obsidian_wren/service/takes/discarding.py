"""Takes put out of sight, and gone for good once nothing can bring them back."""

from __future__ import annotations

import json
import re

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from obsidian_wren.core.wording import _
from obsidian_wren.service.calibration.catching_up import follow_change
from obsidian_wren.service.changes.record import change
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.store import take_files
from obsidian_wren.store.models import ChangeRow, Clip, Reading, Take


def discard_take(app: AppContext, take_id: int) -> None:
    """Put a take out of sight; undo brings it back.

    What stood on it is derived from the one before it.
    """
    with app.sessions() as session:
        take = session.get(Take, take_id)
        if take is None or take.discarded:
            raise Refused("no-take", _("This take is no longer there."))
        purpose = take.purpose
    with change(app, _("Discarded a take ({purpose})", purpose=purpose)) as session:
        take = session.get_one(Take, take_id)
        take.discarded = True
        session.flush()
        follow_change(RigContext.of(app, session, take.rig_id))
    app.changed()


def purge_discarded(app: AppContext) -> None:
    """At a start: takes that were discarded so long ago that nothing can bring them back go for
    good, with the sounds that only they held."""
    with app.sessions.begin() as session:
        reachable = {key for change_ in session.scalars(select(ChangeRow)) for key in change_.body}
        gone = [
            t
            for t in session.scalars(select(Take).where(Take.discarded.is_(True)))
            if f"discarded/{t.id}" not in reachable
        ]
        digests = {take.sha256 for take in gone}
        for take in gone:
            session.execute(delete(Reading).where(Reading.take_id == take.id))
            session.delete(take)
        session.flush()
        unheld = digests - held_sounds(session)
    for digest in unheld:
        take_files.remove_take(app.folder, digest)


_DIGEST = re.compile(r"\b[0-9a-f]{64}\b")


def held_sounds(session: Session) -> set[str]:
    """The digests of every sound that something refers to: takes, clips, and what undo or redo
    can bring back."""
    found = set(session.scalars(select(Take.sha256))) | set(session.scalars(select(Clip.sha256)))
    for change_ in session.scalars(select(ChangeRow)):
        found.update(_DIGEST.findall(json.dumps(change_.body)))
    return found
