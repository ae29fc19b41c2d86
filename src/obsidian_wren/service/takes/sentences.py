"""A sentence to hear oneself by: nothing stands on it, and only the last few are kept."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from obsidian_wren.store.models import Take

MOST_SENTENCES = 10


def drop_older_sentences(session: Session, newest: Take) -> None:
    """Put sentences of a rig out of sight but for the last ten."""
    kept = session.scalars(
        select(Take)
        .where(
            Take.rig_id == newest.rig_id,
            Take.purpose == "sentence",
            Take.discarded.is_(False),
        )
        .order_by(Take.id.desc())
    )
    for take in list(kept)[MOST_SENTENCES:]:
        take.discarded = True
