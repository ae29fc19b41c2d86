"""A copy of the database to work on for a while, and what was kept there, to be kept in the
database itself.

Whoever computes for seconds works on a copy, so that nobody waits for it. What it kept there is a
list of statements; done to a database in which nothing was kept meanwhile, they give what they gave
in the copy.

Source: SQLite's online backup.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Sequence
from contextlib import closing, suppress
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from sqlalchemy import Connection, event, text
from sqlalchemy.orm import Session

from obsidian_wren.store.database import Sessions, sessions_over

_CHANGES = ("INSERT", "UPDATE", "DELETE", "REPLACE")


@dataclass(frozen=True)
class Statement:
    """A statement that changed rows, with its parameters, or several sets of them."""

    sql: str
    parameters: Any


def transactions(session: Session) -> int:
    """How many transactions this database has kept: it differs where anything was changed."""
    return int(session.execute(text("PRAGMA user_version")).scalar() or 0)


def replay(session: Session, statements: Sequence[Statement]) -> None:
    """Keep what was kept in a copy. Raises DatabaseError where the database is another by now."""
    connection = session.connection()
    for each in statements:
        connection.exec_driver_sql(each.sql, each.parameters).close()


@dataclass
class CopyOfDatabase:
    """A copy in a file of its own, filled by :meth:`fill`; ``sessions`` are over it, ``kept`` is
    what was kept since it was filled, and ``number`` how many transactions the database had."""

    database: Path
    path: Path
    number: int = -1
    kept: list[Statement] = field(default_factory=list)
    _pending: list[Statement] = field(default_factory=list)

    def __post_init__(self) -> None:
        self.path.touch(mode=0o600)
        self.sessions: Sessions = sessions_over(self.path, lasting=False)
        engine = self.sessions.engine

        @event.listens_for(engine, "before_cursor_execute")
        def _on_execute(
            _connection: Any, _cursor: Any, statement: str, parameters: Any, *_: Any
        ) -> None:
            if statement.lstrip().upper().startswith(_CHANGES):
                self._pending.append(Statement(statement, parameters))

        @event.listens_for(engine, "commit")
        def _on_commit(_connection: Connection) -> None:
            self.kept += self._pending
            self._pending.clear()

        @event.listens_for(engine, "rollback")
        def _on_rollback(connection: Connection) -> None:
            if connection.get_execution_options().get("writes"):
                self._pending.clear()

    def fill(self) -> None:
        """Bring it to what the database holds now, where it is anything else. Raises
        sqlite3.Error."""
        with closing(
            sqlite3.connect(f"{self.database.absolute().as_uri()}?mode=ro", uri=True)
        ) as source:
            number = int(source.execute("PRAGMA user_version").fetchone()[0])
            if number == self.number and not self.kept:
                return
            self.sessions.close()
            with closing(sqlite3.connect(self.path)) as copy:
                source.backup(copy)
                # Something may have been kept between the two looks.
                self.number = int(copy.execute("PRAGMA user_version").fetchone()[0])
        self.kept.clear()
        self._pending.clear()

    def close(self) -> None:
        """Let it go."""
        self.sessions.close()
        for suffix in ("", "-wal", "-shm", "-journal"):
            with suppress(OSError):
                self.path.with_name(self.path.name + suffix).unlink()
