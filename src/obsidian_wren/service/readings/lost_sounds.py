"""Sounds whose files are gone, damaged or unreadable: marked at the take or clip that they were,
and done without until they are back."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

from sqlalchemy import select
from sqlalchemy.orm import Session

from obsidian_wren.service.context import AppContext
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.store.models import Clip, Take
from obsidian_wren.store.take_files import SoundLost

CODE = "sound-lost"
Answer = TypeVar("Answer")


def mark_lost(session: Session, lost: SoundLost) -> None:
    """Write at every take and clip of a sound why it cannot be used."""
    for take in session.scalars(
        select(Take).where(Take.sha256 == lost.digest, Take.fault.is_(None))
    ):
        take.fault, take.fault_code = str(lost), CODE
    for clip in session.scalars(select(Clip).where(Clip.sha256 == lost.digest)):
        clip.fault = str(lost)
    session.flush()


def doing_without(ctx: RigContext, derive: Callable[[], Answer]) -> Answer:
    """What a derivation gives, with the sounds that are there: each that is found lost is
    marked, and it is derived again."""
    tried: set[str] = set()
    while True:
        ctx.look_again()
        try:
            return derive()
        except SoundLost as lost:
            if lost.digest in tried:
                raise
            tried.add(lost.digest)
            mark_lost(ctx.session, lost)


def note_lost(app: AppContext, lost: SoundLost) -> None:
    """Keep that a sound is lost, and let the pages know."""
    with app.sessions.begin() as session:
        mark_lost(session, lost)
    app.changed()
