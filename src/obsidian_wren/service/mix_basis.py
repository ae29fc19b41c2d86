"""What the mixes stand on, read from rows alone, so that the first page need not wait for what computes."""

from __future__ import annotations

import hashlib
import json
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from obsidian_wren.service import scene
from obsidian_wren.service.kept import Takes
from obsidian_wren.service.once import once
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.store.models import Clip, Derivation, Rig, Setting, StageRow

# Where the answer is kept.
STEP = "mixes"
# Counted up when the rules answer otherwise, so that what older ones answered is derived again.
_RULES = 4


def basis_of(ws: Workshop, session: Session, rig: Rig, takes: Takes) -> str:
    """Everything that the mixes stand on, as one word: they are stale when it differs."""
    settings = session.scalars(select(Setting).where(Setting.rig_id == rig.id).order_by(Setting.stage, Setting.name))
    stages = session.scalars(select(StageRow).where(StageRow.rig_id == rig.id).order_by(StageRow.kind))
    ground = takes.voice
    chain = [[row.stage, row.name, row.value] for row in settings], [[row.kind, row.runs, row.matter] for row in stages], rig.stage_order
    listeners = [[row.key, row.name, row.on, row.sends, row.pins] for row in scene.destinations(ws, session)]
    heard = [[row.key, row.name, row.on, row.settings] for row in scene.sources(session)]
    pads = [[row.sha256, row.start_s, row.end_s] for row in session.scalars(select(Clip).order_by(Clip.id))]
    stands_on = [take.sha256 if take else None for take in (ground, takes.floor)]
    body = json.dumps([_RULES, chain, stands_on, listeners, heard, pads], sort_keys=True)
    return hashlib.sha256(body.encode()).hexdigest()[:16]


def kept_mixes(session: Session, rig: Rig) -> Derivation | None:
    """What was derived last."""
    return once(session, ("mixes", rig.id), lambda: session.get(Derivation, (rig.id, STEP)))


def mixes_body(session: Session, rig: Rig) -> dict[str, Any]:
    """The kept mixes, empty before any were derived."""
    row = kept_mixes(session, rig)
    return dict(row.body) if row is not None else {"listeners": {}, "sources": {}, "cut": []}


def stale(ws: Workshop, session: Session, rig: Rig, takes: Takes) -> bool:
    """Whether the kept mixes stand on something that changed since."""
    kept = kept_mixes(session, rig)
    return kept is not None and kept.used.get("basis") != basis_of(ws, session, rig, takes)
