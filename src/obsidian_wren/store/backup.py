"""Copies of the database, so that a damaged one costs seconds and not a calibration.

``backups/`` in the data folder holds copies made through SQLite's own backup (whole whatever is
being written meanwhile): the newest few, the newest of each of the last days, and one from before
each migration. A copy is checked before it takes its name.
"""

from __future__ import annotations

import logging
import os
import re
import sqlite3
import threading
import uuid
from contextlib import closing, suppress
from datetime import UTC, datetime
from pathlib import Path

from obsidian_wren.core.wording import _
from obsidian_wren.ports.disk import disk_errors, sync_folder
from obsidian_wren.store.folder import DataFolder, make_private

_LOG = logging.getLogger(__name__)
_QUIET_S = 1.0
_NEWEST = 3
_HEADER_BYTES = 100
_DAYS = 5
_NAME = re.compile(r"wren-(\d{8})-\d{6}-\d{3}\.db")


def copies(folder: DataFolder) -> list[Path]:
    """Every regular copy, the newest first: the one that holds the most transactions, whatever the
    clock said when it was made."""
    return sorted(
        (path for path in folder.backups.glob("wren-*.db") if _NAME.fullmatch(path.name)),
        key=lambda path: (_transactions_in(path), path.name),
        reverse=True,
    )


def _transactions_in(path: Path) -> int:
    """How many transactions a copy holds, without opening it as a database: bytes 60 to 63 of its
    header are what a program counts in (SQLite, “Database File Format”, 1.3)."""
    try:
        with path.open("rb") as file:
            header = file.read(_HEADER_BYTES)
    except OSError:
        return -1
    return int.from_bytes(header[60:64], "big") if len(header) == _HEADER_BYTES else -1


def copy_database(folder: DataFolder) -> Path:
    """Copy the database as it is now and let old copies go.

    Raises FolderError when the disk fails.
    """
    stamp = datetime.now(UTC).strftime("%Y%m%d-%H%M%S-%f")[:-3]
    path = folder.backups / f"wren-{stamp}.db"
    _copy(folder.database, path)
    _thin(folder)
    return path


def copy_before(database: Path, revision: str | None) -> Path:
    """Copy a database before it is migrated from a revision; one that is there stays."""
    folder = database.parent / "backups"
    with disk_errors(_("copying the database before it is changed")):
        folder.mkdir(mode=0o700, exist_ok=True)
    path = folder / f"before-migration-from-{revision or 'none'}.db"
    if not path.exists():
        _copy(database, path)
    return path


def read_copy(path: Path) -> sqlite3.Connection:
    """Open a copy, which nobody writes to, without leaving anything beside it."""
    return sqlite3.connect(f"{path.absolute().as_uri()}?mode=ro&immutable=1", uri=True)


def is_sound(path: Path) -> bool:
    """Whether a file is a database of ours without damage."""
    try:
        with closing(read_copy(path)) as connection:
            whole = connection.execute("PRAGMA quick_check(1)").fetchone()[0] == "ok"
            return bool(
                whole
                and connection.execute("SELECT count(*) FROM alembic_version").fetchone()[0] == 1
            )
    except sqlite3.Error:
        return False


def _copy(source: Path, path: Path) -> None:
    temporary = path.with_suffix(f".{uuid.uuid4().hex[:8]}.new")
    try:
        with disk_errors(_("copying the database")):
            make_private(temporary)
            try:
                with (
                    closing(sqlite3.connect(source)) as held,
                    closing(sqlite3.connect(temporary)) as copy,
                ):
                    copy.execute("PRAGMA journal_mode=OFF")
                    held.backup(copy)
            except sqlite3.Error as error:
                raise OSError(28 if "full" in str(error) else 5, str(error)) from error
            with temporary.open("rb") as file:
                os.fsync(file.fileno())
            if not is_sound(temporary):
                raise OSError(5, _("the copy is not whole"))
            temporary.replace(path)
            sync_folder(path.parent)
    finally:
        with suppress(OSError):
            temporary.unlink(missing_ok=True)


def _thin(folder: DataFolder) -> None:
    """Keep the newest copies, and the newest of each of the last days."""
    there = copies(folder)
    of_day: dict[str, Path] = {}
    for path in there:
        day = _NAME.fullmatch(path.name)
        assert day is not None
        of_day.setdefault(day.group(1), path)
    kept = {*there[:_NEWEST], *list(of_day.values())[:_DAYS]}
    for path in there:
        if path not in kept:
            with suppress(OSError):
                path.unlink()


class Copier:
    """Copies the database a second after it was changed, beside whatever else goes on, and once
    more at the end."""

    def __init__(self, folder: DataFolder) -> None:
        self._folder = folder
        self._changed = threading.Event()
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._work, daemon=True, name="copier")
        self._thread.start()

    def poke(self) -> None:
        """Something was kept."""
        self._changed.set()

    def stop(self) -> None:
        """Copy what is not copied yet, and end."""
        self._stop.set()
        self._changed.set()
        self._thread.join(timeout=10)

    def _work(self) -> None:
        while True:
            self._changed.wait()
            self._stop.wait(_QUIET_S)
            ends = self._stop.is_set()
            if self._changed.is_set():
                self._changed.clear()
                try:
                    copy_database(self._folder)
                except Exception:
                    # What is kept is kept; only its copy is older. The next change tries again.
                    _LOG.warning("The database could not be copied", exc_info=True)
            if ends:
                return
