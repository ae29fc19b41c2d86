"""Response files of microphones: taken in as makers and measurement people hand them out."""

from __future__ import annotations

from pathlib import Path

from obsidian_wren.formats.response import read_rows
from obsidian_wren.service.rigs import attach_response
from obsidian_wren.service.workshop import Workshop

_LARGEST_BYTES = 4_000_000


def import_response(ws: Workshop, path: Path, name: str) -> None:
    """Read a file and keep it with the rig's microphone. Raises BadSound naming the line that is wrong."""
    if path.stat().st_size > _LARGEST_BYTES:
        from obsidian_wren.formats.sound import BadSound

        raise BadSound(
            "response-long", f"{name} is {path.stat().st_size / 1e6:.0f} MB; a response is a few kilobytes of text. Is it the right file?"
        )
    attach_response(ws, name, read_rows(path, name))


def import_target(ws: Workshop, path: Path, name: str) -> None:
    """Read a target from two-column text, keep it, and fit to it. Raises BadSound naming the line that is wrong."""
    from obsidian_wren.service.calibrating import keep_target

    keep_target(ws, name.rsplit(".", 1)[0], read_rows(path, name))
