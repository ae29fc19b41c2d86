"""The takes in force, by purpose.

Nothing here computes, so the first page need not wait for what does.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from sqlalchemy import ColumnElement, Executable, literal_column, select, text, union_all
from sqlalchemy.dialects import sqlite
from sqlalchemy.orm import Session

from obsidian_wren.service.words import PURPOSES
from obsidian_wren.store.models import Rig, Take

# How many of a purpose a page is told of at first; of a dial that is learned every mark counts.
_SHOWN_AT_FIRST, _SHOWN_OF = 6, {"dial": 60, "other-gain": 12, "sentence": 10}
_ASKED_FOR = 24


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


def _newest(most: Mapping[str, int], *usable: ColumnElement[bool]) -> Executable:
    """The newest takes of each purpose, so many of each: an index leads to each in a few steps,
    however many there are.

    Written out once: looking through so many parts for a statement that was seen before takes
    longer than asking it.
    """
    of_purposes = [
        select(Take.id)
        .where(
            Take.rig_id == literal_column(":rig_id"),
            Take.purpose == purpose,
            Take.discarded.is_(False),
            *usable,
        )
        .order_by(Take.id.desc())
        .limit(count)
        .subquery()
        for purpose, count in most.items()
    ]
    ids = union_all(*(select(found.c.id) for found in of_purposes)).subquery()
    whole = select(Take).where(Take.id.in_(select(ids.c.id))).order_by(Take.id)
    written = whole.compile(
        dialect=sqlite.dialect(paramstyle="named"), compile_kwargs={"literal_binds": True}
    )
    return select(Take).from_statement(text(str(written)))


_SHOWN: dict[str, int] = {purpose: _SHOWN_OF.get(purpose, _SHOWN_AT_FIRST) for purpose in PURPOSES}
_CURRENT = _newest(dict.fromkeys(_SHOWN, 1), Take.fault.is_(None))
# One more of each tells whether there are older ones.
_NEWEST = _newest({purpose: count + 1 for purpose, count in _SHOWN.items()})


def current_takes(session: Session, rig: Rig) -> Takes:
    """The newest usable take of each purpose."""
    found: dict[str, Take | None] = dict.fromkeys(PURPOSES)
    for take in session.scalars(_CURRENT, {"rig_id": rig.id}):
        found[take.purpose] = take
    return Takes(found)


def newest_takes(session: Session, rig: Rig) -> tuple[list[Take], list[str]]:
    """The newest few takes of each purpose, in the order in which they were taken; and the purposes
    that have older ones."""
    of_purpose: dict[str, list[Take]] = {}
    for take in session.scalars(_NEWEST, {"rig_id": rig.id}):
        of_purpose.setdefault(take.purpose, []).append(take)
    older = [name for name, takes in of_purpose.items() if len(takes) > _SHOWN[name]]
    shown = [take for name, takes in of_purpose.items() for take in takes[-_SHOWN[name] :]]
    return sorted(shown, key=lambda take: take.id), older


def older_takes(session: Session, rig: Rig, purpose: str, *, before: int) -> list[Take]:
    """Some takes of a purpose that are older than one, in the order in which they were taken."""
    found = session.scalars(
        select(Take)
        .where(
            Take.rig_id == rig.id,
            Take.discarded.is_(False),
            Take.purpose == purpose,
            Take.id < before,
        )
        .order_by(Take.id.desc())
        .limit(_ASKED_FOR)
    )
    return list(found)[::-1]
