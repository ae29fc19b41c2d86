"""The rows of a calibration, so that a version can be brought back as it was, to the last digit."""

from __future__ import annotations

import json
from typing import Any

from sqlalchemy import delete, inspect, select

from obsidian_wren.service.calibration.chain_order import order_of
from obsidian_wren.service.calibration.chain_rows import chain_specs
from obsidian_wren.service.calibration.diagram import draw
from obsidian_wren.service.calibration.events import ChainChanged
from obsidian_wren.service.calibration.setting_rows import stage_rows
from obsidian_wren.service.calibration.voice import STARTS
from obsidian_wren.service.mixes.mix_rows import STEP as MIXES
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.rigs import is_in_hand
from obsidian_wren.store.models import Base, Derivation, SettingRow, StageRow, Take

_TABLES: tuple[type[Base], ...] = (SettingRow, StageRow, Derivation)
# Nothing is derived from these.
_BESIDE = ("check", "both", "beside", "sentence")
# The mixes follow from the rest, and from listeners that may be others by now; where derivations
# begin stays what it was.
_LEFT_OUT = (MIXES, STARTS)


def rows_of(ctx: RigContext) -> dict[str, Any]:
    """Every row that the calibration is made of, with the takes that it stands on."""
    found: dict[str, Any] = {
        "preferences": ctx.rig.preferences,
        "stage_order": list(ctx.rig.stage_order),
        "takes": stands_on(ctx),
    }
    for table in _TABLES:
        rows = ctx.session.scalars(select(table).where(_of_rig(table, ctx)))
        values = [_values(row) for row in rows]
        found[table.__tablename__] = sorted(values, key=lambda one: json.dumps(one, sort_keys=True))
    return found


def stands_on(ctx: RigContext) -> dict[str, int]:
    """The takes that a calibration stands on, by purpose."""
    return {
        purpose: take.id
        for purpose, take in ctx.takes.by_purpose.items()
        if take is not None and purpose not in _BESIDE
    }


def put_rows(ctx: RigContext, rows: dict[str, Any]) -> None:
    """Put the rows of a version in the place of those in force. Takes that came after it are put
    out of sight, its own back in sight."""
    session, rig = ctx.session, ctx.rig
    _put_takes(ctx, rows["takes"])
    # Versions of older programs call them wishes.
    rig.preferences = rows["preferences"] if "preferences" in rows else rows["wishes"]
    rig.stage_order = rows["stage_order"]
    for table in _TABLES:
        session.execute(delete(table).where(_of_rig(table, ctx)))
        for values in rows[table.__tablename__]:
            session.add(table(**values))
    session.flush()
    session.expire_all()
    specs = chain_specs(ctx)
    if specs is not None and is_in_hand(session, rig):
        # Who is live hears it before it is drawn.
        keys = tuple(key for key in order_of(rig) if key in stage_rows(ctx))
        ctx.app.announce(ChainChanged(specs, keys))
    draw(ctx)


def _put_takes(ctx: RigContext, wanted: dict[str, int]) -> None:
    takes = ctx.session.scalars(select(Take).where(Take.rig_id == ctx.rig.id))
    for take in takes:
        own = wanted.get(take.purpose, 0)
        if take.id == own:
            take.discarded = False
        elif take.purpose not in _BESIDE and take.id > own and take.fault is None:
            take.discarded = True
    ctx.session.flush()


def _of_rig(table: type[Base], ctx: RigContext) -> Any:
    columns = inspect(table).columns
    own = columns["rig_id"] == ctx.rig.id
    return own & columns["step"].not_in(_LEFT_OUT) if table is Derivation else own


def _values(row: Base) -> dict[str, Any]:
    return {c.key: getattr(row, c.key) for c in inspect(type(row)).column_attrs if c.key != "id"}
