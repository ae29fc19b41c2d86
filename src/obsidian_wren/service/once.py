"""Reading once: while the whole state is read, and nothing is changed, what was read before is not read again."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from typing import TypeVar, cast

from sqlalchemy.orm import Session

_HELD = "read once"
Read = TypeVar("Read")


def begin_reading(session: Session) -> None:
    """From here on the session only reads."""
    session.info[_HELD] = {}


def once(session: Session, what: Hashable, read: Callable[[], Read]) -> Read:
    """What is read, from before where the session only reads. Whoever gets it must not change it."""
    held = session.info.get(_HELD)
    if held is None:
        return read()
    if what not in held:
        held[what] = read()
    return cast(Read, held[what])
