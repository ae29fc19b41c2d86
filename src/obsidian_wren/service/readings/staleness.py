"""What an answer or a take stands on, and whether that has changed since."""

from __future__ import annotations

import json
from collections.abc import Mapping
from functools import lru_cache
from typing import Any

from sqlalchemy import select

from obsidian_wren.core.chain.kinds import KINDS
from obsidian_wren.core.derive import graph
from obsidian_wren.core.derive.reasons import Value
from obsidian_wren.core.derive.shift import Shift, predict_shift
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.facts import facts_of
from obsidian_wren.service.words import PURPOSES
from obsidian_wren.store.models import Derivation, Rig, SettingRow, StageRow, Take

# What a take of each purpose is measured into.
NODE_OF = {
    "rest": "quiet",
    "in-use": "in-use",
    "muted": "muted",
    "other-gain": "other-gain",
    "talk": "talk",
    "loud": "loud",
    "soft": "soft",
    "passage": "voice-shape",
    "dial": "dial",
    "clap": "ring",
    "sweep": "ring",
    "reference": "reference",
    "phone": "phone",
}
# Where each node's answer is kept.
STEP_OF = {
    "split": "split",
    "causes": "causes",
    "gain-plan": "gain",
    "cleaning": "clean",
    "equalizer": "tone",
    "delivery": "send",
    "diagram": "diagram",
}
GAIN_FACTS = frozenset({"gain_db", "trim_db", "program_db", "pad_on"})
_SAME_DB = 1e-9


def sources_now(ctx: RigContext) -> dict[str, Value]:
    """Every source of the graph as it stands."""
    facts = facts_of(ctx)
    found: dict[str, Value] = {
        f"{purpose}.{fact}": value for purpose in PURPOSES for fact, value in facts.items()
    }
    for purpose in PURPOSES:
        take = ctx.takes.of(purpose)
        found[f"take:{purpose}"] = take.id if take else None
    microphone = ctx.rig.microphone
    found["choice:aim"] = f"{ctx.rig.aim_low_dbfs:g} to {ctx.rig.aim_high_dbfs:g}"
    found["choice:response"] = microphone.response_id
    found["choice:microphone_data"] = (
        f"{microphone.self_noise_dba} dB(A), {microphone.sensitivity_mv_pa} mV/Pa"
    )
    for choice in ("taste", "target", "shape_percent", "aims", "cut_weight"):
        found[f"choice:{'treated' if choice == 'aims' else choice}"] = json.dumps(
            ctx.rig.preferences.get(choice), sort_keys=True
        )
    found["choice:order"] = " ".join(ctx.rig.stage_order)
    pins: dict[str, list[str]] = {stage: [] for stage in KINDS}
    for row in ctx.session.scalars(
        select(SettingRow).where(SettingRow.rig_id == ctx.rig.id, SettingRow.pinned.is_(True))
    ):
        kind = KINDS.get(row.stage.partition("-")[0])
        if kind is not None:
            name = "" if kind.banded else row.name
            pins[kind.kind].append(_held(row.stage, kind.kind, [name, row.value]))
    for switch in ctx.session.scalars(
        select(StageRow).where(StageRow.rig_id == ctx.rig.id, StageRow.pinned.is_(True))
    ):
        kind = KINDS.get(switch.kind.partition("-")[0])
        if kind is not None:
            pins[kind.kind].append(_held(switch.kind, kind.kind, ["on", switch.runs]))
    for stage, held in pins.items():
        found[f"pin:{stage}"] = json.dumps(sorted(held))
    return found | graph.rule_versions()


def _held(key: str, kind: str, what: list[Any]) -> str:
    """A pin as a word; that of a further stage says whose it is."""
    return _alike(json.dumps(what if key == kind else [key, *what], sort_keys=True))


def _alike(pin: str) -> str:
    """A pin with every number written as one that may have decimals: the database gives back 90
    for 90.0."""
    return json.dumps(json.loads(pin, parse_int=float), sort_keys=True)


def _pins_alike(used: Mapping[str, Value]) -> dict[str, Value]:
    """What was kept by a version that told 90 from 90.0."""
    return {
        key: _pin_alike(value) if key.startswith("pin:") else value for key, value in used.items()
    }


def _pin_alike(held: Value) -> Value:
    alike = _pins_said(str(held))
    return held if alike is None else alike


@lru_cache(maxsize=512)
def _pins_said(held: str) -> str | None:
    try:
        return json.dumps(sorted(_alike(pin) for pin in json.loads(held)))
    except (ValueError, TypeError):
        return None


def take_sources(take: Take) -> dict[str, Value]:
    """The facts of a take, as sources."""
    return {f"{take.purpose}.{fact}": value for fact, value in take.facts.items()} | {
        f"take:{take.purpose}": take.id
    }


def used_by(ctx: RigContext, node: str, *, moved: bool = False) -> dict[str, Value]:
    """What a node derived now stands on.

    Where it stands on another answer, what that answer stood on counts, not the present.

    ``moved``: its levels were moved to the present gain by prediction, so the present gain is what
    they stand on.
    """
    present = ctx.held("sources", lambda: sources_now(ctx))
    used: dict[str, Value] = {}
    for key in graph.sources(node):
        purpose, dot, fact = key.partition(".")
        if not dot:
            used[key] = present[key]
            continue
        take = ctx.takes.of(purpose)
        if take is None or (moved and fact in GAIN_FACTS):
            used[key] = present[key]
        elif fact in take.facts:
            used[key] = take.facts[fact]
    for needed in graph.GRAPH[node].needs:
        row = (
            ctx.session.get(Derivation, (ctx.rig.id, STEP_OF[needed]))
            if needed in STEP_OF
            else None
        )
        if row is not None:
            direct, through = set(graph.GRAPH[node].measures), graph.sources(needed)
            used.update(
                {
                    k: v
                    for k, v in row.used.items()
                    if k in through and k.partition(".")[0] not in direct
                }
            )
    return used


def stale_take(take: Take, present: Mapping[str, Value]) -> str | None:
    """Why a take does not hold any more; its being newer or older than another is no reason."""
    used = {key: value for key, value in take_sources(take).items() if not key.startswith("take:")}
    node = NODE_OF.get(take.purpose)
    # A check stands beside the calibration, not in it.
    return None if node is None else graph.why_stale(node, used, present)


def stale_answer(ctx: RigContext, node: str, present: Mapping[str, Value]) -> str | None:
    """Why a kept answer does not hold any more."""
    row = ctx.session.get(Derivation, (ctx.rig.id, STEP_OF[node]))
    return None if row is None else graph.why_stale(node, _pins_alike(row.used), present)


def derivable_answers(ctx: RigContext, present: Mapping[str, Value]) -> list[str]:
    """The stale answers that what is at hand can derive anew; the others need a take first."""
    found = []
    for node, step in STEP_OF.items():
        row = ctx.session.get(Derivation, (ctx.rig.id, step))
        reasons = graph.changed(node, _pins_alike(row.used), present) if row is not None else ()
        if reasons and graph.can_derive(reasons, GAIN_FACTS):
            found.append(node)
    return found


def shift_since(take: Take, facts: Mapping[str, Value], rig: Rig) -> Shift:
    """What the changed facts do to the levels of a take, by physics."""
    known = {fact: value for fact, value in take.facts.items() if fact in facts}
    return predict_shift(known, {fact: facts[fact] for fact in known}, pad_db=rig.interface.pad_db)


def gain_shift_db(take: Take, facts: Mapping[str, Value], rig: Rig) -> float | None:
    """What changed gain does to a take's levels, None when something else changed too that moves
    them."""
    shift = shift_since(take, facts, rig)
    if not shift.known or abs(shift.voice_db - shift.room_db) > _SAME_DB:
        return None
    return shift.room_db
