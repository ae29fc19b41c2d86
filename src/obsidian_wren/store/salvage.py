"""What is done about a database that is gone, empty or damaged: it is put aside, never deleted,
and the newest sound copy put back."""

from __future__ import annotations

import os
import shutil
import sqlite3
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

from obsidian_wren.core.wording import _
from obsidian_wren.ports.disk import disk_errors, sync_folder
from obsidian_wren.store.backup import copies, is_sound, read_copy
from obsidian_wren.store.folder import DataFolder, make_private


@dataclass(frozen=True)
class Restored:
    """What was wrong with the database, the moment (UTC) of the copy that was put back, None
    where there was none, and where the old one lies within the data folder."""

    why: str
    at: str | None
    aside: str


def what_is_wrong(folder: DataFolder) -> str | None:
    """Why a database cannot be used as it is:

    ``gone``, ``empty``, ``damaged``, ``of another program`` or ``older than its copy``.

    None where it is sound, or where there is none and nothing that it could have known of.
    """
    path = folder.database
    if _strangers(folder):
        return "damaged"
    if not path.exists() and not path.is_symlink():
        return "gone" if _holds_anything(folder) else None
    if not path.is_file():
        return "damaged"
    if path.stat().st_size == 0:
        # A kill at the very first start leaves this; beside sounds it is a loss.
        return "empty" if _holds_anything(folder) else None
    try:
        with closing(sqlite3.connect(path)) as connection:
            if connection.execute("PRAGMA quick_check(1)").fetchone()[0] != "ok":
                return "damaged"
            tables = {
                row[0]
                for row in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")
            }
            if not tables:
                return "empty" if _holds_anything(folder) else None
            if not {"alembic_version", "take", "rig"} <= tables:
                return _("of another program")
            count = transactions_of(connection)
    except sqlite3.OperationalError as error:
        if "malformed" not in str(error):
            # Read-only, or a disk that fails: opening it says so.
            return None
        return "damaged"
    except sqlite3.DatabaseError:
        return "damaged"
    newest = _newest_sound(folder)
    # A log that was lost takes what was written last with it, without a word.
    return _("older than its copy") if newest is not None and _count_of(newest) > count else None


def transactions_of(connection: sqlite3.Connection) -> int:
    """How many transactions a database holds; each that changes something counts itself."""
    return int(connection.execute("PRAGMA user_version").fetchone()[0])


def restore_where_needed(folder: DataFolder) -> Restored | None:
    """Put aside what cannot be used and put the newest sound copy in its place; None where
    nothing was wrong."""
    strangers = _strangers(folder)
    if strangers:
        folder.put_aside(*strangers)
    why = what_is_wrong(folder)
    if why is None:
        return None
    copy = _newest_sound(folder)
    files = [
        folder.database.with_name(folder.database.name + ending) for ending in ("", "-wal", "-shm")
    ]
    aside = folder.put_aside(*files)
    at = None
    if copy is not None:
        temporary = folder.path / "wren.db.new"
        with disk_errors(_("restoring the copy of the database")):
            make_private(temporary)
            shutil.copyfile(copy, temporary)
            with temporary.open("rb") as file:
                os.fsync(file.fileno())
            temporary.replace(folder.database)
            sync_folder(folder.path)
        day, time = copy.stem.split("-")[1:3]
        at = f"{day[:4]}-{day[4:6]}-{day[6:]} {time[:2]}:{time[2:4]}:{time[4:]} UTC"
    return Restored(why, at, aside.relative_to(folder.path).as_posix())


def _strangers(folder: DataFolder) -> list[Path]:
    """What lies where the database's own log and its index belong, and is no file."""
    beside = [
        folder.database.with_name(folder.database.name + ending) for ending in ("-wal", "-shm")
    ]
    return [path for path in beside if path.exists() and not path.is_file()]


def _holds_anything(folder: DataFolder) -> bool:
    return any(folder.takes.glob("*.flac")) or any(folder.recordings.iterdir())


def _newest_sound(folder: DataFolder) -> Path | None:
    return next((path for path in copies(folder) if is_sound(path)), None)


def _count_of(copy: Path) -> int:
    with closing(read_copy(copy)) as connection:
        return transactions_of(connection)
