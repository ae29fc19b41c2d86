"""Response files of microphones: taken in as makers and measurement people hand them out."""

from __future__ import annotations

from pathlib import Path

from obsidian_wren.formats.response import read_rows
from obsidian_wren.service.calibration.settings import keep_target
from obsidian_wren.service.setup.rig_changes import attach_response
from obsidian_wren.service.workshop import Workshop


def import_response(ws: Workshop, path: Path, name: str) -> None:
    """Read a file and keep it with the rig's microphone.

    Raises BadSound naming the line that is wrong.
    """
    attach_response(ws, name, read_rows(path, name))


def import_target(ws: Workshop, path: Path, name: str) -> None:
    """Read a target from two-column text, keep it, and fit to it.

    Raises BadSound naming the line that is wrong.
    """
    keep_target(ws, name.rsplit(".", 1)[0], read_rows(path, name))
