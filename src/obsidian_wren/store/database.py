"""Opening the database: SQLite with a write-ahead log and foreign keys, brought to the newest migration."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from sqlalchemy import Connection, Engine, create_engine, event, inspect, text
from sqlalchemy.orm import Session, sessionmaker

from obsidian_wren.store.models import Base

MIGRATIONS = Path(__file__).with_name("migrations")
# The newest migration; a test holds it against the folder. Knowing it here spares a start that has nothing to migrate.
HEAD = "0005"


def open_database(path: Path) -> sessionmaker[Session]:
    """Open, migrate when needed, and hand out sessions."""
    engine = create_engine(f"sqlite:///{path}", connect_args={"timeout": 15})

    @event.listens_for(engine, "connect")
    def _on_connect(connection: Any, _record: Any) -> None:
        cursor = connection.cursor()
        cursor.execute("PRAGMA journal_mode=WAL")
        cursor.execute("PRAGMA foreign_keys=ON")
        # FULL: what was acknowledged survives a power cut as well as a kill.
        cursor.execute("PRAGMA synchronous=FULL")
        cursor.close()

    tables = set(inspect(engine).get_table_names())
    if not tables:
        make(engine)
    elif _revision(engine, tables) != HEAD:
        migrate(engine)
    return sessionmaker(engine, expire_on_commit=False)


def _revision(engine: Engine, tables: set[str]) -> str | None:
    if "alembic_version" not in tables:
        return None
    with engine.connect() as connection:
        return connection.execute(text("SELECT version_num FROM alembic_version")).scalar()


def make(engine: Engine) -> None:
    """Make the tables of a new database as they are now, all or nothing. A test holds them against what the migrations make."""
    whole = _all_or_nothing(engine)
    with whole.begin() as connection:
        Base.metadata.create_all(connection)
        connection.execute(text("CREATE TABLE alembic_version (version_num VARCHAR(32) NOT NULL PRIMARY KEY)"))
        connection.execute(text("INSERT INTO alembic_version VALUES (:head)"), {"head": HEAD})
    whole.dispose()


def migrate(engine: Engine) -> None:
    """Run the migrations up to the newest, all or nothing: a kill in the middle leaves the tables as they were."""
    from alembic import command
    from alembic.config import Config

    whole = _all_or_nothing(engine)
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    config.attributes["engine"] = whole
    command.upgrade(config, "head")
    whole.dispose()


def _all_or_nothing(engine: Engine) -> Engine:
    """The same database behind connections whose transactions hold changes of tables too."""
    whole = create_engine(engine.url)

    @event.listens_for(whole, "connect")
    def _on_connect(connection: Any, _record: Any) -> None:
        # The driver would commit before every change of a table; a transaction of our own holds them together.
        connection.isolation_level = None
        # Rebuilding a table drops it for a moment: rows that point to it must not go with it.
        connection.execute("PRAGMA foreign_keys=OFF")
        connection.execute("PRAGMA synchronous=FULL")

    @event.listens_for(whole, "begin")
    def _on_begin(connection: Connection) -> None:
        connection.exec_driver_sql("BEGIN IMMEDIATE")

    return whole
