"""A calibration file that was brought in: looked at first, in force when the person says so."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

from sqlalchemy import delete

from obsidian_wren.core.wording import _
from obsidian_wren.formats.calibration import CalibrationFile
from obsidian_wren.formats.carried_file import read_calibration, shortened
from obsidian_wren.service.carry.conversation import Brought, conversation
from obsidian_wren.service.carry.portables import portable_of
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.context.clock import now
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.store.models import BroughtFile

_ONE = 1


@dataclass
class _Known:
    """The file that was checked last, with the row that it came from: a state that shows it need
    not check it again."""

    row: dict[str, Any] | None = None
    brought: Brought | None = None


def bring_in(app: AppContext, path: Path, name: str) -> None:
    """Look at a calibration file. Nothing changes but what is looked at. Raises BadCalibration."""
    file = read_calibration(path, name)
    brought = Brought(shortened(name), now(), file, portable_of(file))
    with app.sessions() as session:
        # All that a state will say of it, said once before anything is kept.
        conversation(in_hand(app, session), brought)
    row = file.model_dump(mode="json")
    with app.lock, app.sessions.begin() as session:
        session.merge(BroughtFile(id=_ONE, name=brought.name, file=row, at=brought.at))
    app.changed()


def leave(app: AppContext) -> None:
    """Look at it no longer."""
    with app.lock, app.sessions.begin() as session:
        session.execute(delete(BroughtFile))
    app.changed()


def brought_file(ctx: RigContext) -> Brought | None:
    """The file that is looked at, None where there is none. Raises ValueError where what an older
    version kept is no calibration any more."""
    row = ctx.session.get(BroughtFile, _ONE)
    if row is None:
        return None
    known = ctx.app.own(_Known)
    found = known.brought
    if found is None or (found.name, found.at) != (row.name, row.at) or known.row != row.file:
        file = CalibrationFile.model_validate(row.file)
        found = Brought(row.name, row.at, file, portable_of(file))
        known.row, known.brought = row.file, found
    return found


def require_brought(ctx: RigContext) -> Brought:
    """The file that is looked at. Raises Refused."""
    try:
        found = brought_file(ctx)
    except ValueError as error:
        raise Refused(
            "unreadable-brought",
            _("The imported file can no longer be read. Put it away."),
        ) from error
    if found is None:
        raise Refused("no-file", _("There is no file to bring over. Bring one in first."))
    return found
