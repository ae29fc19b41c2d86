"""Folders as older versions left them, and a program that is killed while it brings one up to
date."""

import os
import shutil
import sqlite3
import subprocess
import sys
from contextlib import closing

from alembic import command
from alembic.config import Config
from sqlalchemy import create_engine, event

from obsidian_wren.store.database import HEAD, MIGRATIONS

REVISIONS = sorted(path.name[:4] for path in (MIGRATIONS / "versions").glob("[0-9]*.py"))
OLDER = [revision for revision in REVISIONS if revision != HEAD]
_KILLED = 9
_FIRST_WITH_A_WAY_BACK = "0004"
_MIGRATE = """
import os, sys
from pathlib import Path
from sqlalchemy import event
from sqlalchemy.engine import Engine
from obsidian_wren.store.database import open_database

left = [int(sys.argv[2])]

@event.listens_for(Engine, "before_cursor_execute")
def count(*_):
    left[0] -= 1
    if left[0] == 0:
        os._exit(9)

open_database(Path(sys.argv[1]))
os._exit(0)
"""


def as_left_by(folder, revision):
    """Bring the database of a folder back to what an older version held; its copies go."""
    shutil.rmtree(folder / "backups", ignore_errors=True)
    engine = create_engine(f"sqlite:///{folder / 'wren.db'}")

    @event.listens_for(engine, "connect")
    def _on_connect(connection, _record):
        connection.execute("PRAGMA foreign_keys=OFF")

    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    config.attributes["engine"] = engine
    if revision < _FIRST_WITH_A_WAY_BACK:
        # From there no migration leads back: a new folder of that version.
        engine.dispose()
        (folder / "wren.db").unlink()
        command.upgrade(config, revision)
    else:
        command.downgrade(config, revision)
    engine.dispose()


def killed_while_migrating(folder, statement):
    """Open the database and be killed at a statement; whether it came so far."""
    done = subprocess.run(
        [sys.executable, "-P", "-c", _MIGRATE, str(folder / "wren.db"), str(statement)],
        check=False,
        capture_output=True,
        env={**os.environ},
        text=True,
    )
    assert done.returncode in (0, _KILLED), done.stderr
    return done.returncode == _KILLED


def rows_in(folder):
    """How many things and takes are there."""
    with closing(sqlite3.connect(folder / "wren.db")) as connection:
        return [
            connection.execute(f"SELECT count(*) FROM {table}").fetchone()[0]
            for table in ("take", "rig", "alembic_version")
        ]
