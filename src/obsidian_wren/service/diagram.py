"""The level diagram: the takes run through the chain, looked at along the path."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from obsidian_wren.core.decibels import amplitude_from_db
from obsidian_wren.core.derive.chain_plan import LAST_OF_STEP
from obsidian_wren.core.derive.path_levels import PathPoint, levels_here, shifted, sound_pressure_db_spl
from obsidian_wren.formats.plain import plain
from obsidian_wren.service.answers import keep_answer, moved_since
from obsidian_wren.service.facts import has_absolute_gain
from obsidian_wren.service.kept import Takes, stage_rows
from obsidian_wren.service.measuring import room_shift_db, samples_of
from obsidian_wren.service.voice import follower, ground_of, order_of, spec_of
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.store.models import Rig, Take


def draw(ws: Workshop, session: Session, rig: Rig, takes: Takes) -> None:
    """The level diagram's points, from the takes run through the chain."""
    ground, rest = takes.voice, takes.quiet
    first = ground or rest
    if first is None:
        return
    moved, predicted = moved_since(ws, session, rig, first)
    talk = samples_of(ws, ground) * amplitude_from_db(moved) if ground else None
    quiet = None
    if rest is not None:
        to_voice = room_shift_db(rest, ground, rig) if ground is not None else 0.0
        quiet = samples_of(ws, rest) * amplitude_from_db(to_voice + moved)
    converter = levels_here(talk, quiet, rate_hz=first.rate_hz)
    points: list[dict[str, Any]] = []
    gain_db = _gain_before_converter(rig, first, moved)
    if gain_db is not None:
        points.append(_point("mic", "at the mic", shifted(converter, -gain_db), _pressure(rig, converter, gain_db)))
    points.append(_point("converter", "converter", converter, None))
    if ground is not None and rest is not None:
        points += _after_stages(ws, session, rig, takes, moved)
    body = {"points": points, "predicted": predicted}
    keep_answer(ws, session, rig, takes, "diagram", body, moved=predicted is not None)


def _after_stages(ws: Workshop, session: Session, rig: Rig, takes: Takes, moved: float) -> list[dict[str, Any]]:
    """Levels behind the last stage of each step, as far as the chain is derived."""
    here, key = ground_of(ws, session, rig, takes, moved, refit=False)
    follow, rows = follower(ws, key), stage_rows(session, rig)
    names = {kind: name for name, kind in LAST_OF_STEP.items()}
    points = []
    for kind in order_of(rig):
        spec = spec_of(session, rig, kind, rows)
        if spec is None:
            break
        here = follow(here, spec)
        if kind in names:
            ground = here
            found = ws.answers.get(
                ("levels", key, here.passed), lambda ground=ground: levels_here(ground.talk, ground.rest, rate_hz=ground.rate_hz)
            )
            points.append(_point(names[kind], names[kind], found, None))
    return points


def _gain_before_converter(rig: Rig, take: Take, moved: float) -> float | None:
    """Gain from capsule to converter, dB, where the knob says it; after the converter nothing must be turned."""
    if (
        not has_absolute_gain(rig)
        or take.gain_db is None
        or rig.microphone.sensitivity_mv_pa is None
        or rig.interface.max_input_dbu is None
    ):
        return None
    pad = (rig.interface.pad_db or 0.0) if take.facts.get("pad_on") else 0.0
    return take.gain_db + moved - pad + float(take.facts.get("trim_db") or 0.0)


def _pressure(rig: Rig, converter: PathPoint, gain_db: float) -> str | None:
    if converter.voice_high_dbfs is None or rig.microphone.sensitivity_mv_pa is None or rig.interface.max_input_dbu is None:
        return None
    spl = sound_pressure_db_spl(
        converter.voice_high_dbfs,
        gain_db=gain_db,
        max_input_dbu=rig.interface.max_input_dbu,
        sensitivity_mv_pa=rig.microphone.sensitivity_mv_pa,
    )
    return f"{spl:.0f} dB SPL"


def _point(name: str, title: str, point: PathPoint, note: str | None) -> dict[str, Any]:
    return {"name": name, "title": title, "note": note, **plain(point)}
