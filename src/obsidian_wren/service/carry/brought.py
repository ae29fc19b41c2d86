"""A calibration file that was brought in: looked at first, in force when the person says so."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from sqlalchemy import delete

from obsidian_wren.core.wording import worded
from obsidian_wren.formats.calibration import CalibrationFile
from obsidian_wren.formats.carried_file import read_carried, shortened
from obsidian_wren.service.carry.portables import portable_of
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.service.workshop.clock import now
from obsidian_wren.store.models import BroughtFile

_ONE = 1


def bring_in(ws: Workshop, path: Path, name: str) -> None:
    """Look at a calibration file. Nothing changes but what is looked at. Raises BadCalibration."""
    file = read_carried(path, name)
    # What it wants is read here, so that a hostile wish is refused before anybody sees it.
    portable_of(file)
    with ws.lock, ws.sessions.begin() as session:
        session.merge(
            BroughtFile(id=_ONE, name=shortened(name), file=file.model_dump(mode="json"), at=now())
        )
    ws.changed()


def leave(ws: Workshop) -> None:
    """Look at it no longer."""
    with ws.lock, ws.sessions.begin() as session:
        session.execute(delete(BroughtFile))
    ws.changed()


def brought_file(ctx: RigContext) -> tuple[str, str, CalibrationFile] | None:
    """The name, the time and the file that is looked at, None where there is none."""
    row = ctx.session.get(BroughtFile, _ONE)
    if row is None:
        return None
    return row.name, row.at, CalibrationFile.model_validate(row.file)


def require_brought(ctx: RigContext) -> tuple[str, CalibrationFile]:
    """The name of the file that is looked at, and the file. Raises Refused."""
    found = brought_file(ctx)
    if found is None:
        raise Refused("no-file", worded("There is no file to bring over. Bring one in first."))
    return found[0], found[2]


def named_device(file: CalibrationFile, what: str) -> str:
    """What the file calls its microphone, interface or room."""
    there: Any = file.rig.get(what)
    return shortened(str(there.get("name", ""))) if isinstance(there, dict) else ""
