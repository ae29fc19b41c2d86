"""The data folder: its layout, its lock, who may read it, and the errors of a disk told in
sentences.

::

    DATA/wren.db          settings, readings, everything in rows
    DATA/takes/HASH.flac  takes and clips by content; HASH.json says what each was taken as
    DATA/parts/           the take in progress; what is here at a start was cut off
    DATA/recordings/      what the recorder wrote
    DATA/backups/         copies of the database
    DATA/aside/           what could not be read and was put away, never deleted
    DATA/token            what the page shows to speak to the program
    DATA/voice.socket     where the voice that runs is asked
    DATA/tell.socket      where the running program is told something from outside

Nobody but its owner may read any of it: it holds a person's voice.
"""

from __future__ import annotations

import fcntl
import os
import shutil
import stat
from contextlib import suppress
from datetime import UTC, datetime
from pathlib import Path
from typing import IO

from obsidian_wren.core.wording import _
from obsidian_wren.ports.disk import FolderError, disk_errors, sync_folder

_FOLDER_MODE, _FILE_MODE = 0o700, 0o600
_DATABASE_FILES = ("wren.db", "wren.db-wal", "wren.db-shm", "lock", "token")


class DataFolder:
    """An opened data folder; one program at a time holds its lock, its worker works beside it."""

    def __init__(self, path: Path, *, beside: bool = False) -> None:
        self.path = path
        self._lock: IO[str] | None = None
        self._place = _place_of(path)
        if not beside:
            self._take_hold(path)

    def _take_hold(self, path: Path) -> None:
        try:
            for folder in (path, *self._folders):
                folder.mkdir(mode=_FOLDER_MODE, parents=True, exist_ok=True)
            if (path / "lock").is_dir():
                self.put_aside(path / "lock")
            lock = (path / "lock").open("a+")
            (path / "lock").touch()
        except OSError as error:
            raise FolderError(
                "not-writable",
                _(
                    "The data folder {path} cannot be written ({strerror}). Choose another with"
                    " --data, or change its permissions.",
                    path=path,
                    strerror=error.strerror,
                ),
            ) from error
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            lock.close()
            raise FolderError(
                "in-use",
                _(
                    "Another Obsidian Wren already works in {path}. Use its window, stop it, or"
                    " choose another folder with --data.",
                    path=path,
                ),
            ) from error
        self._lock = lock
        self._place = _place_of(path)
        self._keep_private()

    @property
    def _folders(self) -> tuple[Path, ...]:
        return self.takes, self.parts, self.recordings, self.backups

    def _keep_private(self) -> None:
        """Shut out everybody else, also from what an older version left open.

        Where the disk knows no rights there are none to set.
        """
        for folder in (self.path, *self._folders):
            _restrict(folder, _FOLDER_MODE)
            if folder != self.path:
                _restrict_all(folder)
        for name in _DATABASE_FILES:
            _restrict(self.path / name, _FILE_MODE)

    @property
    def takes(self) -> Path:
        """Whole takes, and the sounds of clips."""
        return self.path / "takes"

    @property
    def parts(self) -> Path:
        """Takes in progress."""
        return self.path / "parts"

    @property
    def recordings(self) -> Path:
        """What the recorder wrote."""
        return self.path / "recordings"

    @property
    def backups(self) -> Path:
        """Copies of the database."""
        return self.path / "backups"

    @property
    def database(self) -> Path:
        """The database file."""
        return self.path / "wren.db"

    @property
    def voice_socket(self) -> Path:
        """Where the voice of this folder is asked."""
        return self.path / "voice.socket"

    @property
    def tell_socket(self) -> Path:
        """Where the program of this folder is told something from outside."""
        return self.path / "tell.socket"

    def require_there(self) -> None:
        """Raise FolderError where the folder that was opened is not at its place any more: what is
        written by open handles would be in no folder, or in one that nobody looks into."""
        if _place_of(self.path) != self._place:
            raise FolderError(
                "folder-gone",
                _(
                    "The data folder {path} is gone: it was moved or deleted, or its disk was"
                    " removed. Nothing new can be saved. Put it back in the same place, and the"
                    " program goes on.",
                    path=self.path,
                ),
            )

    def require_space(self, wanted_bytes: int) -> None:
        """Raise FolderError when the disk has less room than a take needs."""
        if shutil.disk_usage(self.path).free < wanted_bytes:
            raise FolderError(
                "disk-full",
                _(
                    "The take needs {max} MB and the disk has less. Free some space, then"
                    " record it again.",
                    max=max(wanted_bytes // 1_000_000, 1),
                ),
            )

    def put_aside(self, *paths: Path) -> Path:
        """Move files that cannot be read out of the way, together, never away: into a folder of
        their own under ``aside/``."""
        with disk_errors(_("setting a damaged file aside")):
            name = datetime.now(UTC).strftime("%Y%m%d-%H%M%S-%f")
            place = self.path / "aside" / name
            place.mkdir(mode=_FOLDER_MODE, parents=True)
            _restrict(place.parent, _FOLDER_MODE)
            for path in paths:
                with suppress(FileNotFoundError):
                    path.rename(place / path.name)
            sync_folder(place)
            return place

    def close(self) -> None:
        """Give the lock back."""
        if self._lock is not None:
            self._lock.close()


def _place_of(path: Path) -> tuple[int, int] | None:
    """What tells one folder from another of the same name; None where there is none."""
    try:
        found = path.stat()
    except OSError:
        return None
    return found.st_dev, found.st_ino


def _restrict(path: Path, mode: int) -> None:
    with suppress(OSError):
        held = path.lstat().st_mode
        if not stat.S_ISLNK(held) and stat.S_IMODE(held) != mode:
            path.chmod(mode)


def _restrict_all(folder: Path) -> None:
    """Everything in a folder. A walk with what the system tells beside each name: thousands of
    takes are looked at in a moment."""
    with suppress(OSError), os.scandir(folder) as entries:
        for entry in entries:
            if entry.is_symlink():
                continue
            is_folder = entry.is_dir(follow_symlinks=False)
            mode = _FOLDER_MODE if is_folder else _FILE_MODE
            if stat.S_IMODE(entry.stat(follow_symlinks=False).st_mode) != mode:
                _restrict(Path(entry.path), mode)
            if is_folder:
                _restrict_all(Path(entry.path))


def make_private(path: Path) -> None:
    """Make an empty file that its owner alone may read; one that is there stays as it is."""
    with suppress(FileExistsError):
        os.close(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, _FILE_MODE))


def open_private(path: Path) -> IO[bytes]:
    """Open a new or emptied file for writing and reading that its owner alone may read."""
    return os.fdopen(os.open(path, os.O_RDWR | os.O_CREAT | os.O_TRUNC, _FILE_MODE), "w+b")


def write_through(path: Path, content: bytes, *, private: bool = True) -> None:
    """Write a small file so that it is whole or absent, and on the disk."""
    temporary = path.with_suffix(path.suffix + ".new")
    with open_private(temporary) if private else temporary.open("wb") as file:
        file.write(content)
        file.flush()
        os.fsync(file.fileno())
    temporary.replace(path)
    sync_folder(path.parent)
