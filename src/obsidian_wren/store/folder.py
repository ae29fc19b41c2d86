"""The data folder: its layout, its lock, and the errors of a disk told in sentences.

::

    DATA/wren.db          settings, readings, everything in rows
    DATA/takes/HASH.flac  takes by content
    DATA/parts/           the take in progress; what is here at a start was cut off
    DATA/recordings/      what the recorder wrote
"""

from __future__ import annotations

import errno
import fcntl
import os
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO


class FolderError(Exception):
    """A data folder that cannot be used, or a disk that is full. ``code`` is stable; the message says what to do."""

    def __init__(self, code: str, sentence: str) -> None:
        super().__init__(sentence)
        self.code = code


@contextmanager
def disk_errors(doing: str) -> Iterator[None]:
    """Turn an OSError into a sentence."""
    try:
        yield
    except OSError as error:
        if error.errno in (errno.ENOSPC, errno.EDQUOT, errno.EFBIG):
            raise FolderError(
                "disk-full", f"The disk is full while {doing}. Everything before is kept: free some space, then try again."
            ) from error
        raise FolderError("disk", f"The disk failed while {doing} ({error.strerror}). Check it, then try again.") from error


class DataFolder:
    """An opened data folder; one program at a time holds its lock."""

    def __init__(self, path: Path) -> None:
        self.path = path
        try:
            for folder in (path, self.takes, self.parts, self.recordings):
                folder.mkdir(parents=True, exist_ok=True)
            self._lock: IO[str] = (path / "lock").open("a+")
            (path / "lock").touch()
        except OSError as error:
            raise FolderError(
                "not-writable",
                f"The data folder {path} cannot be written ({error.strerror}). Choose another with --data, or change its rights.",
            ) from error
        try:
            fcntl.flock(self._lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            raise FolderError(
                "in-use", f"Another Obsidian Wren already works in {path}. Use its window, stop it, or choose another folder with --data."
            ) from error

    @property
    def takes(self) -> Path:
        """Whole takes."""
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
    def database(self) -> Path:
        """The database file."""
        return self.path / "wren.db"

    def require_space(self, wanted_bytes: int) -> None:
        """Raise FolderError when the disk has less room than a take needs."""
        if shutil.disk_usage(self.path).free < wanted_bytes:
            raise FolderError(
                "disk-full",
                f"The take needs {max(wanted_bytes // 1_000_000, 1)} MB and the disk has less. Free some space, then take it again.",
            )

    def close(self) -> None:
        """Give the lock back."""
        self._lock.close()


def write_through(path: Path, content: bytes) -> None:
    """Write a small file so that it is whole or absent, and on the disk."""
    temporary = path.with_suffix(path.suffix + ".new")
    with temporary.open("wb") as file:
        file.write(content)
        file.flush()
        os.fsync(file.fileno())
    temporary.replace(path)
