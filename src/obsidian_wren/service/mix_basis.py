"""What the mixes stand on, read from rows alone, so that the first page need not wait for what computes."""

from __future__ import annotations

import hashlib
import json

from sqlalchemy import select
from sqlalchemy.orm import Session

from obsidian_wren.service import scene
from obsidian_wren.service.kept import Takes
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.store.models import Clip, Derivation, Rig, Setting, StageRow

# Where the answer is kept.
STEP = "mixes"
# Counted up when the rules answer otherwise, so that what older ones answered is derived again.
_RULES = 3


def basis_of(ws: Workshop, session: Session, rig: Rig, takes: Takes) -> str:
    """Everything that the mixes stand on, as one word: they are stale when it differs."""
    settings = session.scalars(select(Setting).where(Setting.rig_id == rig.id).order_by(Setting.stage, Setting.name))
    stages = session.scalars(select(StageRow).where(StageRow.rig_id == rig.id).order_by(StageRow.kind))
    ground = takes.voice
    chain = [[row.stage, row.name, row.value] for row in settings], [[row.kind, row.runs, row.matter] for row in stages], rig.stage_order
    listeners = [[row.key, row.name, row.on, row.sends, row.pins] for row in scene.destinations(ws, session)]
    heard = [[row.key, row.name, row.on, row.settings] for row in scene.sources(session)]
    pads = [[row.sha256, row.start_s, row.end_s] for row in session.scalars(select(Clip).order_by(Clip.id))]
    body = json.dumps([_RULES, chain, ground.sha256 if ground else None, listeners, heard, pads], sort_keys=True)
    return hashlib.sha256(body.encode()).hexdigest()[:16]


def stale(ws: Workshop, session: Session, rig: Rig, takes: Takes) -> bool:
    """Whether the kept mixes stand on something that changed since."""
    kept = session.get(Derivation, (rig.id, STEP))
    return kept is not None and kept.used.get("basis") != basis_of(ws, session, rig, takes)
