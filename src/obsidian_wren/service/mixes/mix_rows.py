"""What the mixes stand on, read from rows alone, so that the first page need not wait for what
computes."""

from __future__ import annotations

import hashlib
import json
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from obsidian_wren.service.mixes import scene
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.store.models import Clip, Derivation, Rig, SettingRow, StageRow

# Where the answer is kept.
STEP = "mixes"
# Counted up when the rules answer otherwise, so that what older ones answered is derived again.
_RULES = 4


def basis_of(ctx: RigContext) -> str:
    """Everything that the mixes stand on, as one word: they are stale when it differs."""
    settings = ctx.session.scalars(
        select(SettingRow)
        .where(SettingRow.rig_id == ctx.rig.id)
        .order_by(SettingRow.stage, SettingRow.name)
    )
    stages = ctx.session.scalars(
        select(StageRow).where(StageRow.rig_id == ctx.rig.id).order_by(StageRow.kind)
    )
    take_set = ctx.takes.voice
    chain = (
        [[row.stage, row.name, row.value] for row in settings],
        [[row.kind, row.runs, row.data] for row in stages],
        ctx.rig.stage_order,
    )
    listeners = [
        [row.key, row.name, row.on, row.sends, row.pins] for row in scene.destinations(ctx.session)
    ]
    heard = [[row.key, row.name, row.on, row.settings] for row in scene.sources(ctx.session)]
    pads = [
        [row.sha256, row.start_s, row.end_s]
        for row in ctx.session.scalars(select(Clip).order_by(Clip.id))
    ]
    stands_on = [take.sha256 if take else None for take in (take_set, ctx.takes.floor)]
    body = json.dumps([_RULES, chain, stands_on, listeners, heard, pads], sort_keys=True)
    return hashlib.sha256(body.encode()).hexdigest()[:16]


def kept_mixes(ctx: RigContext) -> Derivation | None:
    """What was derived last."""
    return ctx.session.get(Derivation, (ctx.rig.id, STEP))


def mixes_body(ctx: RigContext) -> dict[str, Any]:
    """The kept mixes, empty before any were derived."""
    row = kept_mixes(ctx)
    return dict(row.body) if row is not None else {"listeners": {}, "sources": {}, "cut": []}


def listeners_of(session: Session, rig: Rig) -> dict[str, Any]:
    """What was derived last for each listener, by key."""
    kept = session.get(Derivation, (rig.id, STEP))
    return {} if kept is None else dict(kept.body["listeners"])


def is_outdated(ctx: RigContext) -> bool:
    """Whether the mixes are to be derived: for the first time, or anew."""
    kept = kept_mixes(ctx)
    return kept is None or kept.used.get("basis") != basis_of(ctx)


def stale(ctx: RigContext) -> bool:
    """Whether the kept mixes stand on something that changed since."""
    kept = kept_mixes(ctx)
    return kept is not None and kept.used.get("basis") != basis_of(ctx)
