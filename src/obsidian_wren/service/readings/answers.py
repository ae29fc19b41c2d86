"""Answers of rules, kept with what they stood on; and what turned knobs do to takes until they
are made again."""

from __future__ import annotations

from typing import Any

from obsidian_wren.core.wording import _
from obsidian_wren.service.readings.staleness import STEP_OF, gain_shift_db, used_by
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.facts import facts_of
from obsidian_wren.store.models import Derivation, Take


def keep_answer(
    ctx: RigContext,
    node: str,
    body: dict[str, Any],
    *,
    moved: bool = False,
) -> None:
    """Keep a node's answer. ``moved``: its levels were moved to the present gain by prediction."""
    used = used_by(ctx, node, moved=moved)
    ctx.session.merge(Derivation(rig_id=ctx.rig.id, step=STEP_OF[node], body=body, used=used))
    ctx.session.flush()


def moved_since(ctx: RigContext, take: Take | None) -> tuple[float, str | None]:
    """What gain that was turned since a take does to it, and the sentence of the prediction; 0
    and None when nothing was turned."""
    if take is None:
        return 0.0, None
    shift = gain_shift_db(take, facts_of(ctx), ctx.rig)
    if not shift:
        return 0.0, None
    return (
        shift,
        (
            _(
                "Predicted: {shift:+g} dB gain since the take moves voice and room alike."
                " Record again to measure it.",
                shift=shift,
            )
        ),
    )
