"""Answers of rules, kept with what they stood on; and what turned knobs do to takes until they are made again."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from obsidian_wren.service.facts import STEP_OF, facts_of, gain_shift_db, used_by
from obsidian_wren.service.kept import Takes
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.store.models import Derivation, Rig, Take


def keep_answer(ws: Workshop, session: Session, rig: Rig, takes: Takes, node: str, body: dict[str, Any], *, moved: bool = False) -> None:
    """Keep a node's answer. ``moved``: its levels were moved to the present gain by prediction."""
    used = used_by(ws, session, rig, takes, node, moved=moved)
    session.merge(Derivation(rig_id=rig.id, step=STEP_OF[node], body=body, used=used))
    session.flush()


def moved_since(ws: Workshop, session: Session, rig: Rig, take: Take | None) -> tuple[float, str | None]:
    """What gain that was turned since a take does to it, and the sentence of the prediction; 0 and None when nothing was turned."""
    if take is None:
        return 0.0, None
    shift = gain_shift_db(take, facts_of(ws, session, rig), rig)
    if not shift:
        return 0.0, None
    return shift, f"Predicted: {shift:+g} dB gain since the take lifts voice and room alike. Take it again to measure it."
