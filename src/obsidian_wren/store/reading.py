"""A session that only reads, so nothing need be looked for twice."""

from __future__ import annotations

from typing import Any, TypeVar

from sqlalchemy import select
from sqlalchemy.orm import Session

from obsidian_wren.store.models import Base

Row = TypeVar("Row", bound=Base)


class ReadingSession(Session):
    """A session that only reads: a row that was looked for is not looked for again, whether it
    was found or not."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        # The session itself forgets rows that nobody holds.
        self._found: dict[tuple[Any, Any], Any] = {}
        self._whole: dict[type[Base], list[Any]] = {}

    def get(self, entity: Any, ident: Any, **options: Any) -> Any:
        """A row by its primary key, or None."""
        key = (entity, ident)
        if options or isinstance(ident, dict):
            return super().get(entity, ident, **options)
        if key not in self._found:
            self._found[key] = super().get(entity, ident)
        return self._found[key]

    def get_one(self, entity: Any, ident: Any, **options: Any) -> Any:
        """A row by its primary key. Raises NoResultFound."""
        found = self.get(entity, ident, **options)
        return super().get_one(entity, ident, **options) if found is None else found

    def every(self, table: type[Row], order: Any) -> list[Row]:
        """All rows of a small table."""
        if table not in self._whole:
            self._whole[table] = list(self.scalars(select(table).order_by(order)))
        return list(self._whole[table])


def every(session: Session, table: type[Row], order: Any) -> list[Row]:
    """All rows of a small table in their order; a session that only reads looks once."""
    if isinstance(session, ReadingSession):
        return session.every(table, order)
    return list(session.scalars(select(table).order_by(order)))
