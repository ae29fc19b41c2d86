"""Opening the database: SQLite with a write-ahead log and foreign keys, brought to the newest migration."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from sqlalchemy import Connection, Engine, create_engine, event, text
from sqlalchemy.orm import Session, sessionmaker

MIGRATIONS = Path(__file__).with_name("migrations")
# The newest migration; a test holds it against the folder. Knowing it here spares a start that has nothing to migrate.
HEAD = "0004"


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

    if _revision(engine) != HEAD:
        migrate(engine)
    return sessionmaker(engine, expire_on_commit=False)


def _revision(engine: Engine) -> str | None:
    with engine.connect() as connection:
        found = connection.execute(text("SELECT name FROM sqlite_master WHERE name = 'alembic_version'")).scalar()
        return connection.execute(text("SELECT version_num FROM alembic_version")).scalar() if found else None


def migrate(engine: Engine) -> None:
    """Run the migrations up to the newest, all or nothing: a kill in the middle leaves the tables as they were."""
    from alembic import command
    from alembic.config import Config

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

    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    config.attributes["engine"] = whole
    command.upgrade(config, "head")
    whole.dispose()
