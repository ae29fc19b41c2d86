"""What a disk may do to a file, as sentences."""

from __future__ import annotations

import errno
import os
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from obsidian_wren.core.told import Told
from obsidian_wren.core.wording import _


class FolderError(Told):
    """A data folder that cannot be used, or a disk that is full.

    ``code`` is stable; the message says what to do.
    """


@contextmanager
def disk_errors(doing: str) -> Iterator[None]:
    """Turn an OSError into a sentence."""
    try:
        yield
    except OSError as error:
        if error.errno in (errno.ENOSPC, errno.EDQUOT, errno.EFBIG):
            raise FolderError(
                "disk-full",
                _(
                    "The disk is full while {doing}. Everything before that is saved: free some"
                    " space, then try again.",
                    doing=doing,
                ),
            ) from error
        if error.errno in (errno.EROFS, errno.EACCES, errno.EPERM):
            raise FolderError(
                "read-only",
                _(
                    "The disk refused to write while {doing}. Check the permissions of the data"
                    " folder, then try again.",
                    doing=doing,
                ),
            ) from error
        raise FolderError(
            "disk",
            _(
                "The disk failed while {doing} ({strerror}). Check it, then try again.",
                doing=doing,
                strerror=error.strerror,
            ),
        ) from error


def sync_folder(path: Path) -> None:
    """Put the names in a folder on the disk: a renamed file is safe only then."""
    with suppress(OSError):
        fd = os.open(path, os.O_RDONLY | os.O_DIRECTORY)
        try:
            os.fsync(fd)
        finally:
            os.close(fd)
