"""The takes in force, by purpose.

Nothing here computes, so the first page need not wait for what does.
"""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from obsidian_wren.service.words import PURPOSES
from obsidian_wren.store.models import Rig, Take


@dataclass(frozen=True)
class Takes:
    """The takes that the settings stand on, by purpose."""

    by_purpose: dict[str, Take | None]

    def of(self, purpose: str) -> Take | None:
        """The newest usable take of a purpose."""
        return self.by_purpose.get(purpose)

    @property
    def quiet(self) -> Take | None:
        """The room at rest."""
        return self.of("rest")

    @property
    def talk(self) -> Take | None:
        """Normal talk."""
        return self.of("talk")

    @property
    def passage(self) -> Take | None:
        """The passage."""
        return self.of("passage")

    @property
    def voice(self) -> Take | None:
        """Normal talk, or the passage where there is none."""
        return self.talk or self.passage

    @property
    def floor(self) -> Take | None:
        """The room as it is really used where that was taken, else the room at rest."""
        return self.of("in-use") or self.quiet


def current_takes(session: Session, rig: Rig) -> Takes:
    """The newest usable take of each purpose."""
    usable = (
        select(Take)
        .where(Take.rig_id == rig.id, Take.fault.is_(None), Take.discarded.is_(False))
        .order_by(Take.id)
    )
    newest: dict[str, Take | None] = dict.fromkeys(PURPOSES)
    for take in session.scalars(usable):
        newest[take.purpose] = take
    return Takes(newest)
