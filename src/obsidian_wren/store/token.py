"""The token that lets a page or a script speak to the program, kept in the data folder where its
owner alone can read it."""

from __future__ import annotations

import re
import secrets
from pathlib import Path

from obsidian_wren.core.wording import _
from obsidian_wren.ports.disk import disk_errors
from obsidian_wren.store.folder import write_through

_BYTES = 24
_TOKEN = re.compile(r"[A-Za-z0-9_-]{24,64}")


def token_of(path: Path) -> str:
    """The token kept in a file, made when there is none that can be used: the same after a
    restart, so that open pages go on."""
    try:
        held = path.read_text("ascii").strip()
    except (OSError, ValueError):
        held = ""
    if _TOKEN.fullmatch(held):
        return held
    made = secrets.token_urlsafe(_BYTES)
    with disk_errors(_("storing the token")):
        if path.is_dir():
            path.rmdir()
        write_through(path, made.encode() + b"\n")
    return made
