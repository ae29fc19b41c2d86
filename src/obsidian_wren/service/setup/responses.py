"""Response files of microphones: taken in as makers and measurement people hand them out."""

from __future__ import annotations

from pathlib import Path

from obsidian_wren.formats.response import read_rows
from obsidian_wren.service.calibration.settings import keep_target
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.setup.rig_changes import attach_response


def import_response(app: AppContext, path: Path, name: str) -> None:
    """Read a file and keep it with the rig's microphone.

    Raises BadSound naming the line that is wrong.
    """
    attach_response(app, name, read_rows(path, name))


def import_target(app: AppContext, path: Path, name: str) -> None:
    """Read a target from two-column text, keep it, and fit to it.

    Raises BadSound naming the line that is wrong.
    """
    keep_target(app, name.rsplit(".", 1)[0], read_rows(path, name))
