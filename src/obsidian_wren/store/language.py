"""The languages that ship, and the one that was chosen for a data folder."""

from __future__ import annotations

from contextlib import suppress
from pathlib import Path

SHIPPED = Path(__file__).parents[1] / "languages"
_ENGLISH = "en"


def tags() -> list[str]:
    """What can be spoken, by tag (BCP 47)."""
    return sorted([_ENGLISH, *(path.stem for path in SHIPPED.glob("*.po"))])


def chosen_in(folder: Path) -> str | None:
    """The language that was chosen for a data folder, by its tag; None where none was, or none that
    ships."""
    with suppress(OSError, ValueError):
        tag = (folder / "language").read_text("ascii").strip()
        return tag if tag in tags() else None
    return None


def choose(folder: Path, tag: str) -> None:
    """From the next start on, a data folder's program speaks this language. Raises FolderError."""
    from obsidian_wren.core.wording import _
    from obsidian_wren.ports.disk import disk_errors
    from obsidian_wren.store.folder import write_through

    with disk_errors(_("storing the language")):
        write_through(folder / "language", tag.encode() + b"\n")
