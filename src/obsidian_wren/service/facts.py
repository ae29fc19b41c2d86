"""The rig's facts, and what a derivation stands on: rows turned into the sources of the dependency graph."""

from __future__ import annotations

import dataclasses
import json
from collections.abc import Mapping
from typing import Any, TypeVar

from sqlalchemy import select
from sqlalchemy.orm import Session

from obsidian_wren.core.chain.kinds import STAGE_KINDS
from obsidian_wren.core.derive import graph, hardware
from obsidian_wren.core.derive.audit import SoundDevice
from obsidian_wren.core.derive.graph import Value
from obsidian_wren.core.derive.shift import Shift, predict_shift
from obsidian_wren.service.kept import PURPOSES, Takes
from obsidian_wren.service.once import once
from obsidian_wren.service.ports import Controls
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.store.models import Computer, Derivation, Rig, Setting, StageRow, Take, Taper

# What a take of each purpose is measured into.
NODE_OF = {
    "rest": "quiet", "in-use": "in-use", "muted": "muted", "other-gain": "other-gain", "talk": "talk", "loud": "loud", "soft": "soft",
    "passage": "voice-shape", "dial": "dial", "clap": "ring", "sweep": "ring", "reference": "reference",
}  # fmt: skip
# Where each node's answer is kept.
STEP_OF = {
    "split": "split", "causes": "causes", "gain-plan": "gain", "cleaning": "clean", "equalizer": "tone", "delivery": "send",
    "diagram": "diagram",
}  # fmt: skip
Shape = TypeVar("Shape")
GAIN_FACTS = frozenset({"gain_db", "trim_db", "program_db", "pad_on"})


def rig_device(ws: Workshop, session: Session, rig: Rig) -> SoundDevice | None:
    """The computer's device that the rig's interface shows up as, None when it is not there."""
    from obsidian_wren.core.derive.audit import device_key

    row = session.get(Computer, 1)
    if row is None or rig.device_key is None:
        return None
    return next((d for d in ws.world.computer.devices(row.body) if d.present and device_key(d) == rig.device_key), None)


def controls_of(ws: Workshop, session: Session, rig: Rig) -> Controls:
    """Where every control of the rig stands now."""
    device = rig_device(ws, session, rig)
    dial = rig.dial if rig.interface.knob == "dial" else None
    return Controls(
        gain_db=rig.gain_db if dial is None else None, dial=dial, pad_on=rig.pad_on, trim_db=rig.trim_db,
        slider_percent=device.slider_percent if device else 100.0, enhancements=device.enhancements if device else False,
        bits=device.bits if device else 24, things_off=frozenset(rig.things_off),
    )  # fmt: skip


def facts_of(ws: Workshop, session: Session, rig: Rig) -> dict[str, Value]:
    """What a take made now would be made at."""
    device = rig_device(ws, session, rig)
    dial = rig.dial if rig.interface.knob == "dial" else None
    return {
        "gain_db": _gain(session, rig, dial), "dial": dial, "pad_on": rig.pad_on, "trim_db": rig.trim_db,
        "slider": device.slider_percent if device else None, "program_db": rig.program_db,
        "distance_cm": rig.distance_cm, "angle_deg": rig.angle_deg, "height_cm": rig.height_cm, "pop_screen": rig.pop_screen,
        "foam": rig.foam, "shock_mount": rig.shock_mount, "support": rig.support, "microphone": rig.microphone.name,
        "pattern": rig.microphone.pattern, "interface": rig.interface.name, "room": rig.room.name, "source": rig.source,
        "enhancements": device.enhancements if device else False,
    }  # fmt: skip


def _gain(session: Session, rig: Rig, dial: float | None) -> float | None:
    if dial is None:
        return rig.gain_db
    taper = taper_row(session, rig, "preamp")
    if taper is None:
        return None
    from obsidian_wren.service.deriving import taper_of

    return round(taper_of(taper).gain_db(dial), 2)


def taper_row(session: Session, rig: Rig, control: str) -> Taper | None:
    """What was learned of a control."""
    return once(session, ("taper", control), lambda: session.get(Taper, (rig.interface_id, control)))


def sources_now(ws: Workshop, session: Session, rig: Rig, takes: Takes) -> dict[str, Value]:
    """Every source of the graph as it stands."""
    facts = facts_of(ws, session, rig)
    found: dict[str, Value] = {f"{purpose}.{fact}": value for purpose in PURPOSES for fact, value in facts.items()}
    for purpose in PURPOSES:
        take = takes.of(purpose)
        found[f"take:{purpose}"] = take.id if take else None
    microphone = rig.microphone
    found["choice:aim"] = f"{rig.aim_low_dbfs:g} to {rig.aim_high_dbfs:g}"
    found["choice:response"] = microphone.response_id
    found["choice:microphone_data"] = f"{microphone.self_noise_dba} dB(A), {microphone.sensitivity_mv_pa} mV/Pa"
    for choice in ("taste", "target", "aims", "cut_weight"):
        found[f"choice:{'treated' if choice == 'aims' else choice}"] = json.dumps(rig.wishes.get(choice), sort_keys=True)
    found["choice:order"] = " ".join(rig.stage_order)
    pins: dict[str, list[str]] = {stage: [] for stage in STAGE_KINDS}
    for row in session.scalars(select(Setting).where(Setting.rig_id == rig.id, Setting.pinned.is_(True))):
        pins[row.stage].append(json.dumps([row.name if row.stage != "equalizer" else "", row.value], sort_keys=True))
    for switch in session.scalars(select(StageRow).where(StageRow.rig_id == rig.id, StageRow.pinned.is_(True))):
        pins[switch.kind].append(json.dumps(["on", switch.runs]))
    for stage, held in pins.items():
        found[f"pin:{stage}"] = json.dumps(sorted(held))
    return found


def take_sources(take: Take) -> dict[str, Value]:
    """The facts of a take, as sources."""
    return {f"{take.purpose}.{fact}": value for fact, value in take.facts.items()} | {f"take:{take.purpose}": take.id}


def used_by(ws: Workshop, session: Session, rig: Rig, takes: Takes, node: str, *, moved: bool = False) -> dict[str, Value]:
    """What a node derived now stands on. Where it stands on another answer, that answer's own ground counts, not the present.

    ``moved``: its levels were moved to the present gain by prediction, so the present gain is what they stand on.
    """
    present = sources_now(ws, session, rig, takes)
    used: dict[str, Value] = {}
    for key in graph.sources(node):
        purpose, dot, fact = key.partition(".")
        if not dot:
            used[key] = present[key]
            continue
        take = takes.of(purpose)
        if take is None or (moved and fact in GAIN_FACTS):
            used[key] = present[key]
        elif fact in take.facts:
            used[key] = take.facts[fact]
    for needed in graph.GRAPH[node].needs:
        row = session.get(Derivation, (rig.id, STEP_OF[needed])) if needed in STEP_OF else None
        if row is not None:
            direct = set(graph.GRAPH[node].measures)
            used.update({k: v for k, v in row.used.items() if k in graph.sources(needed) and k.partition(".")[0] not in direct})
    return used


def stale_take(take: Take, present: Mapping[str, Value]) -> str | None:
    """Why a take does not hold any more; its being newer or older than another is no reason."""
    used = {key: value for key, value in take_sources(take).items() if not key.startswith("take:")}
    return graph.why_stale(NODE_OF[take.purpose], used, present)


def stale_answer(session: Session, rig: Rig, node: str, present: Mapping[str, Value]) -> str | None:
    """Why a kept answer does not hold any more."""
    row = session.get(Derivation, (rig.id, STEP_OF[node]))
    return None if row is None else graph.why_stale(node, row.used, present)


def derivable_answers(session: Session, rig: Rig, present: Mapping[str, Value]) -> list[str]:
    """The stale answers that what is at hand can derive anew; the others need a take first."""
    found = []
    for node, step in STEP_OF.items():
        row = session.get(Derivation, (rig.id, step))
        reasons = graph.changed(node, row.used, present) if row is not None else ()
        if reasons and graph.can_derive(reasons, GAIN_FACTS):
            found.append(node)
    return found


def shift_since(take: Take, facts: Mapping[str, Value], rig: Rig) -> Shift:
    """What the changed facts do to the levels of a take, by physics."""
    known = {fact: value for fact, value in take.facts.items() if fact in facts}
    return predict_shift(known, {fact: facts[fact] for fact in known}, pad_db=rig.interface.pad_db)


def gain_shift_db(take: Take, facts: Mapping[str, Value], rig: Rig) -> float | None:
    """What changed gain does to a take's levels, None when something else changed too that moves them."""
    shift = shift_since(take, facts, rig)
    if not shift.known or abs(shift.voice_db - shift.room_db) > 1e-9:
        return None
    return shift.room_db


def microphone_of(rig: Rig) -> hardware.Microphone:
    """The rig's microphone as the rules take it."""
    return _adapted(hardware.Microphone, rig.microphone)


def interface_of(rig: Rig) -> hardware.Interface:
    """The rig's interface as the rules take it."""
    return _adapted(hardware.Interface, rig.interface)


def room_of(rig: Rig) -> hardware.Room:
    """The rig's room as the rules take it."""
    room = rig.room
    size = None
    if room.length_m is not None and room.width_m is not None and room.height_m is not None:
        size = (room.length_m, room.width_m, room.height_m)
    return hardware.Room(size, room.surfaces, room.noise_dba)  # type: ignore[arg-type]


def placement_of(rig: Rig) -> hardware.Placement:
    """The rig's placement as the rules take it."""
    return _adapted(hardware.Placement, rig)


def _adapted(shape: type[Shape], row: Any) -> Shape:
    names = [field.name for field in dataclasses.fields(shape)]  # type: ignore[arg-type]
    return shape(**{name: getattr(row, name) for name in names})


def has_absolute_gain(rig: Rig) -> bool:
    """Whether the preamp's position is a gain in dB and not a count of turns from an unknown start."""
    return rig.interface.knob == "dB" and (rig.source == "simulated" or rig.interface.gain_low_db is not None)
