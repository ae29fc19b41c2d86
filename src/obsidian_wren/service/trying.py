"""Settings that somebody tries out before keeping them."""

from __future__ import annotations

from dataclasses import replace

from obsidian_wren.core.chain.gate import GateSpec
from obsidian_wren.core.derive.gate import recount
from obsidian_wren.core.derive.gate_evidence import GateCounts
from obsidian_wren.service.answers import moved_since
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.kept import current_takes, stage_rows
from obsidian_wren.service.rigs import the_rig
from obsidian_wren.service.voice import follower, ground_of, order_of, spec_of
from obsidian_wren.service.workshop import Workshop


def try_gate(ws: Workshop, *, threshold_dbfs: float, hysteresis_db: float | None = None) -> GateCounts:
    """What a gate at another threshold would cut and let through on the real takes; nothing is kept."""
    with ws.sessions() as session:
        rig = the_rig(ws, session)
        takes = current_takes(session, rig)
        rows = stage_rows(session, rig)
        spec = spec_of(session, rig, "gate", rows)
        if takes.voice is None or takes.quiet is None or not isinstance(spec, GateSpec):
            raise Refused("no-takes", "There is nothing to try it on yet. Take the room and normal talk first.")
        here, key = ground_of(ws, session, rig, takes, moved_since(ws, session, rig, takes.voice)[0], refit=False)
        follow = follower(ws, key)
        for kind in order_of(rig):
            if kind == "gate":
                break
            before = spec_of(session, rig, kind, rows)
            if before is not None:
                here = follow(here, before)
    tried = replace(spec, threshold_dbfs=threshold_dbfs, on=True)
    if hysteresis_db is not None:
        tried = replace(tried, hysteresis_db=hysteresis_db)
    return recount(here, tried)
