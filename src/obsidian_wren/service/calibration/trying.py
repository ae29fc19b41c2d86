"""Settings that somebody tries out before keeping them."""

from __future__ import annotations

from dataclasses import replace

from sqlalchemy import select

from obsidian_wren.core.chain.gate import GateSpec
from obsidian_wren.core.derive.gate import recount
from obsidian_wren.core.derive.gate_evidence import GateCounts
from obsidian_wren.core.wording import _
from obsidian_wren.service.calibration.chain_order import order_of
from obsidian_wren.service.calibration.chain_rows import derived_specs
from obsidian_wren.service.calibration.take_sets import behind, take_set_of
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.readings.answers import moved_since
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.service.rig.take_queries import current_takes
from obsidian_wren.store.models import SettingRow


def try_gate(
    app: AppContext, threshold_dbfs: float, hysteresis_db: float | None = None
) -> GateCounts:
    """What a gate at another threshold would cut and let through on the real takes; nothing is
    kept."""
    with app.sessions() as session:
        ctx = in_hand(app, session)
        rig = ctx.rig
        takes = current_takes(session, rig)
        specs = derived_specs(ctx)
        spec = specs.get("gate")
        if takes.voice is None or takes.quiet is None or not isinstance(spec, GateSpec):
            raise Refused(
                "no-takes",
                _("There is nothing to try it on yet. Record the room and normal talk first."),
            )
        pinned = bool(
            session.scalar(
                select(SettingRow.pinned).where(
                    SettingRow.rig_id == rig.id,
                    SettingRow.stage == "gate",
                    SettingRow.name == "hysteresis_db",
                )
            )
        )
        here, key = take_set_of(
            ctx,
            moved_since(ctx, takes.voice)[0],
            refit=False,
        )
        keys = order_of(rig)
        reaching = [specs[one] for one in keys[: keys.index("gate")] if one in specs]
        here = behind(app, key, here, [one for one in reaching if one.on])
    tried = replace(spec, threshold_dbfs=threshold_dbfs, on=True)
    if hysteresis_db is not None:
        tried = replace(tried, hysteresis_db=hysteresis_db)
    return recount(here, tried, held=pinned or hysteresis_db is not None)
