"""Two situations side by side."""

from __future__ import annotations

from typing import Any

from pydantic import ValidationError

from obsidian_wren.formats.calibration import CalibrationFile
from obsidian_wren.service.carry.comparing import compare_files, file_of
from obsidian_wren.service.carry.decisions import decisions_of, differing
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.service.situations.keeping import situation_of
from obsidian_wren.store.models import KeptCalibration

_NOW = 0


def compare(app: AppContext, first: int, second: int) -> dict[str, Any]:
    """Two situations by their ids, 0 for how it is now: what they decide otherwise, and what comes
    of it where that is known. Raises Refused."""
    with app.sessions() as session:
        ctx = in_hand(app, session)
        decided = [
            decisions_of(ctx) if each == _NOW else situation_of(ctx, each).decisions
            for each in (first, second)
        ]
        files = [_file(ctx, each) for each in (first, second)]
        compared = None
        if files[0] is not None and files[1] is not None:
            compared = compare_files(files[0], files[1], ctx.rig.rate_hz)
        return {"decided": differing(ctx, decided[0], decided[1]), "compared": compared}


def _file(ctx: RigContext, situation_id: int) -> CalibrationFile | None:
    """The settings of a situation as a calibration; None where they are not known."""
    if situation_id == _NOW:
        try:
            return file_of(ctx, _NOW)
        except Refused:
            return None
    kept = ctx.session.get(KeptCalibration, situation_of(ctx, situation_id).sha256 or "")
    try:
        return None if kept is None else CalibrationFile.model_validate(kept.file)
    except ValidationError:
        return None
