"""Where a command's data lie. Loads next to nothing: ``tell`` begins with it."""

from __future__ import annotations

TYPE_CHECKING = False
if TYPE_CHECKING:
    from pathlib import Path

# Within the person's home.
OWN = ".local/share/obsidian-wren"
_DEMO = "demo-data"


def data_folder(command: str, given: Path | None) -> Path:
    """The data folder of a command: the one that is given, else the usual one."""
    from pathlib import Path

    return given or (Path(_DEMO) if command == "demo" else Path.home() / OWN)
