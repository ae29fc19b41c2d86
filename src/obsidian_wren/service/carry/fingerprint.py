"""The settings in force as one word. Nothing here computes."""

from __future__ import annotations

import hashlib
import json

from sqlalchemy import select

from obsidian_wren.service.calibration.setting_rows import stage_rows
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.store.models import SettingRow


def fingerprint(ctx: RigContext) -> str:
    """The same for the same settings, switches, preferences and sequence."""
    settings = ctx.session.scalars(select(SettingRow).where(SettingRow.rig_id == ctx.rig.id))
    what = (
        sorted([row.stage, row.name, json.dumps(row.value), row.pinned] for row in settings),
        sorted([key, row.runs, row.pinned] for key, row in stage_rows(ctx).items()),
        ctx.rig.preferences,
        list(ctx.rig.stage_order),
    )
    return hashlib.sha256(json.dumps(what, sort_keys=True).encode()).hexdigest()[:16]
