"""Where a command's data lie."""

from __future__ import annotations

from pathlib import Path

_OWN = Path(".local") / "share" / "obsidian-wren"
_DEMO = Path("demo-data")


def data_folder(command: str, given: Path | None) -> Path:
    """The data folder of a command: the one that is given, else the usual one."""
    return given or (_DEMO if command == "demo" else Path.home() / _OWN)
