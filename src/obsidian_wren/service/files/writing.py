"""Text that a command writes, whole or not at all."""

from __future__ import annotations

from pathlib import Path

from obsidian_wren.core.wording import _
from obsidian_wren.ports.disk import FolderError
from obsidian_wren.store.folder import write_through


def write_text(out: Path, text: str) -> None:
    """Write a file. Raises FolderError."""
    try:
        write_through(out, text.encode(), private=False)
    except OSError as error:
        raise FolderError(
            "unwritable",
            _(
                "{out} cannot be written ({strerror}). Check the folder and the free space, then"
                " try again.",
                out=out,
                strerror=error.strerror,
            ),
        ) from error
