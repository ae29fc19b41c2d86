"""What is kept, copied into memory: to work on rows for a second without holding up who writes.

Source: SQLite's online backup.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from pydantic_core import from_json
from sqlalchemy import create_engine, text
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session
from sqlalchemy.pool import StaticPool

from obsidian_wren.store.database import Sessions, told_error


def transactions(session: Session) -> int:
    """How many transactions this database has kept: it differs where anything was changed."""
    return int(session.execute(text("PRAGMA user_version")).scalar() or 0)


class CopyInMemory:
    """One database in memory, filled anew each time it is opened. For one thread at a time."""

    def __init__(self, sessions: Sessions) -> None:
        self._sessions = sessions
        # One for good: what an engine has learned of its statements goes with it.
        self._engine = create_engine(
            "sqlite://",
            poolclass=StaticPool,
            connect_args={"check_same_thread": False},
            json_deserializer=from_json,
        )

    @contextmanager
    def __call__(self) -> Iterator[Session]:
        """A session on a copy of what is kept now. What is written there goes when it ends. Raises
        FolderError where the database fails."""
        try:
            with self._sessions.lock:
                self._fill()
            with Session(self._engine) as session:
                yield session
        except SQLAlchemyError as error:
            raise told_error(error) from error

    def close(self) -> None:
        """Let the memory go."""
        self._engine.dispose()

    def _fill(self) -> None:
        with self._sessions.engine.connect() as kept, self._engine.connect() as copy:
            source: Any = kept.connection.driver_connection
            source.backup(copy.connection.driver_connection)
