"""Opening the database:

SQLite with a write-ahead log and foreign keys, brought to the newest migration.

Reading and writing are told apart. A writer takes SQLite's write lock at its beginning (``BEGIN
IMMEDIATE``), one after another in this process, so that no transaction finds in its middle that
another was faster; readers see what was there when they began and hold nobody up. What the database
says when it fails is turned into sentences here, in one place.
"""

from __future__ import annotations

import json
import logging
import sqlite3
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from pydantic_core import from_json
from sqlalchemy import URL, Connection, Engine, create_engine, event, inspect, text
from sqlalchemy.exc import DatabaseError, IntegrityError, SQLAlchemyError
from sqlalchemy.orm import Session, sessionmaker
from sqlalchemy.orm.exc import StaleDataError

from obsidian_wren.core.wording import _
from obsidian_wren.ports.disk import FolderError
from obsidian_wren.store.folder import make_private
from obsidian_wren.store.models import Base
from obsidian_wren.store.reading import ReadingSession

_LOG = logging.getLogger(__name__)
MIGRATIONS = Path(__file__).with_name("migrations")
# The newest migration; a test holds it against the folder. Knowing it here spares a start that has
# nothing to migrate.
HEAD = "0017"
_BUSY_S = 15.0
# Every thread of the server may hold a connection, and so may those that take, record and look for
# markers.
_CONNECTIONS = 48

_SENTENCES = (
    (
        ("full",),
        "disk-full",
        (
            _(
                "The disk is full, so this was not saved. Everything before is: free some"
                " space, then try again."
            )
        ),
    ),
    (
        ("readonly", "read-only"),
        "read-only",
        (
            _(
                "The data folder is no longer writable, so this was not saved. Check its"
                " permissions and the disk, then try again."
            )
        ),
    ),
    (
        ("locked", "busy"),
        "busy",
        _(
            "Another program holds the database, so this was not saved. Wait a moment, then try"
            " again."
        ),
    ),
    (
        ("malformed", "not a database", "corrupt", "no such table", "no such column"),
        "corrupt",
        (
            _(
                "The database is damaged, so this was not saved. End the program and run"
                " “obsidian-wren doctor --repair”; your takes are not touched."
            )
        ),
    ),
)


def told_error(error: SQLAlchemyError | sqlite3.Error) -> FolderError:
    """What the database said, as a sentence that names nothing of the inside."""
    reason = str(getattr(error, "orig", None) or error).lower()
    for words, code, sentence in _SENTENCES:
        if any(word in reason for word in words):
            return FolderError(code, sentence)
    if isinstance(error, (IntegrityError, StaleDataError)):
        return FolderError(
            "moved-on",
            _("What this is based on has changed, so it was not saved. Check it, then try again."),
        )
    return FolderError(
        "disk",
        _(
            "The disk failed, so this was not saved. Everything before is: check the disk, then"
            " try again."
        ),
    )


class Sessions:
    """Sessions over one database.

    Calling it gives one for reading; :meth:`begin` one for writing, committed at its end.

    Both raise FolderError where the database fails.
    """

    def __init__(self, engine: Engine) -> None:
        self.engine = engine
        self.lock = threading.RLock()
        self._reading = sessionmaker(engine, class_=ReadingSession, expire_on_commit=False)
        self._writing = sessionmaker(engine.execution_options(writes=True), expire_on_commit=False)
        self._writer = threading.local()
        # Raises FolderError where what is written would be nowhere.
        self.require_there: Callable[[], None] = lambda: None
        # Told after each transaction that changed something.
        self.on_kept: Callable[[], None] = lambda: None

    @contextmanager
    def __call__(self) -> Iterator[Session]:
        """A session that reads."""
        try:
            with self._reading() as session:
                yield session
        except (DatabaseError, StaleDataError) as error:
            raise told_error(error) from error

    @contextmanager
    def begin(self) -> Iterator[Session]:
        """A session that writes, one at a time; kept when the block ends, taken back when it
        raises."""
        with self.lock:
            self.require_there()
            if getattr(self._writer, "busy", False):
                raise RuntimeError(
                    "A thread that writes cannot begin to write a second time: pass the session on."
                )
            self._writer.busy = True
            changed = False
            try:
                with self._writing.begin() as session:
                    held: Any = session.connection().connection.driver_connection
                    before = held.total_changes
                    yield session
                    session.flush()
                    changed = held.total_changes > before
                    if changed:
                        # Every transaction counts itself, so that a database that lost its last
                        # ones is told from its copy.
                        count = session.execute(text("PRAGMA user_version")).scalar() or 0
                        session.execute(text(f"PRAGMA user_version = {int(count) + 1}"))
            except (DatabaseError, StaleDataError) as error:
                raise told_error(error) from error
            finally:
                self._writer.busy = False
        if changed:
            self.on_kept()

    def close(self) -> None:
        """Let every connection go."""
        self.engine.dispose()


def open_database(path: Path) -> Sessions:
    """Open, migrate when needed, and hand out sessions.

    Raises FolderError: ``corrupt``, ``newer``, or what the disk says.
    """
    if not path.exists():
        # Made before SQLite makes it, which would let everybody read it.
        make_private(path)
    engine = _engine(path)
    try:
        tables = set(inspect(engine).get_table_names())
        if not tables:
            make(engine)
        else:
            revision = _revision(engine, tables)
            if revision != HEAD:
                _require_known(revision)
                from obsidian_wren.store.backup import copy_before

                copy_before(path, revision)
                migrate(engine)
    except (SQLAlchemyError, sqlite3.Error) as error:
        engine.dispose()
        raise told_error(error) from error
    except FolderError:
        engine.dispose()
        raise
    return Sessions(engine)


def sessions_over(path: Path, *, lasting: bool = True) -> Sessions:
    """Sessions over a database that has all its tables. One that is not ``lasting`` need not
    survive a power cut."""
    return Sessions(_engine(path, lasting=lasting))


def _write_json(value: Any) -> str:
    """As text that SQLite takes: half of a character is refused here at the latest."""
    return json.dumps(value, ensure_ascii=False)


def _read_json(text: str) -> Any:
    """What a row holds. What cannot be read is None: whoever needs it says so, and the rest of
    the row is there."""
    try:
        # Reads the same as Python's own, three times as fast.
        return from_json(text)
    except ValueError:
        _LOG.warning("A row holds JSON that cannot be read", exc_info=True)
        return None


def _engine(path: Path, *, lasting: bool = True) -> Engine:
    engine = create_engine(
        # Made of its parts: in an address “?” and “%” of a folder's name would mean something.
        URL.create("sqlite", database=str(path.absolute())),
        connect_args={"timeout": _BUSY_S},
        pool_size=_CONNECTIONS,
        max_overflow=16,
        json_serializer=_write_json,
        json_deserializer=_read_json,
    )

    @event.listens_for(engine, "connect")
    def _on_connect(connection: Any, _record: Any) -> None:
        # The driver's own idea of when a transaction begins would let two readers turn writers and
        # find each other.
        connection.isolation_level = None
        cursor = connection.cursor()
        cursor.execute("PRAGMA journal_mode=WAL")
        cursor.execute("PRAGMA foreign_keys=ON")
        # FULL: what was acknowledged survives a power cut as well as a kill.
        cursor.execute(f"PRAGMA synchronous={'FULL' if lasting else 'OFF'}")
        cursor.close()

    @event.listens_for(engine, "begin")
    def _on_begin(connection: Connection) -> None:
        connection.exec_driver_sql(
            "BEGIN IMMEDIATE" if connection.get_execution_options().get("writes") else "BEGIN"
        )

    return engine


def _require_known(revision: str | None) -> None:
    known = {path.name[:4] for path in (MIGRATIONS / "versions").glob("[0-9]*.py")}
    if revision is not None and revision not in known:
        raise FolderError(
            "newer",
            _(
                "A newer Obsidian Wren has worked in this data folder, and this one cannot read"
                " what it wrote. Update this program, or choose another folder with --data."
                " Nothing was touched; earlier copies are in its folder “backups”."
            ),
        )


def _revision(engine: Engine, tables: set[str]) -> str | None:
    if "alembic_version" not in tables:
        return None
    with engine.connect() as connection:
        return connection.execute(text("SELECT version_num FROM alembic_version")).scalar()


def make(engine: Engine) -> None:
    """Make the tables of a new database as they are now, all or nothing.

    A test holds them against what the migrations make.
    """
    whole = _all_or_nothing(engine)
    with whole.begin() as connection:
        Base.metadata.create_all(connection)
        connection.execute(
            text("CREATE TABLE alembic_version (version_num VARCHAR(32) NOT NULL PRIMARY KEY)")
        )
        connection.execute(text("INSERT INTO alembic_version VALUES (:head)"), {"head": HEAD})
    whole.dispose()


def migrate(engine: Engine) -> None:
    """Run the migrations up to the newest, all or nothing: a kill in the middle leaves the
    tables as they were."""
    from alembic import command
    from alembic.config import Config

    whole = _all_or_nothing(engine)
    config = Config()
    # What reads it takes “%” for the beginning of a name.
    config.set_main_option("script_location", str(MIGRATIONS).replace("%", "%%"))
    config.attributes["engine"] = whole
    command.upgrade(config, "head")
    whole.dispose()


def _all_or_nothing(engine: Engine) -> Engine:
    """The same database behind connections whose transactions hold changes of tables too."""
    whole = create_engine(engine.url)

    @event.listens_for(whole, "connect")
    def _on_connect(connection: Any, _record: Any) -> None:
        # The driver would commit before every change of a table; a transaction of our own holds
        # them together.
        connection.isolation_level = None
        # Rebuilding a table drops it for a moment: rows that point to it must not go with it.
        connection.execute("PRAGMA foreign_keys=OFF")
        connection.execute("PRAGMA synchronous=FULL")

    @event.listens_for(whole, "begin")
    def _on_begin(connection: Connection) -> None:
        connection.exec_driver_sql("BEGIN IMMEDIATE")

    return whole
