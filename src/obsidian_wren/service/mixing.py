"""The mixes: derived for every listener in use from its kind, what each source measures and what a person holds; kept until that changes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, cast

import numpy as np
from sqlalchemy.orm import Session

from obsidian_wren.core.chain.engine import render
from obsidian_wren.core.decibels import Samples, amplitude_from_db
from obsidian_wren.core.measure.levels import rms_dbfs
from obsidian_wren.core.measure.loudness import integrated_lufs
from obsidian_wren.core.measure.speech import active_level
from obsidian_wren.core.measure.words import find_words
from obsidian_wren.core.mix.ducking import Ducking
from obsidian_wren.core.mix.engine import Mix, MixSend
from obsidian_wren.core.mix.instrument import InstrumentPlan, derive_instrument
from obsidian_wren.core.mix.plan import Foresight, Landing, Measured, MixPlan, Outcome, derive_ducking, derive_mix, land, signal_of
from obsidian_wren.core.mix.returns import RETURN_LUFS
from obsidian_wren.core.mix.routes import Routing, named
from obsidian_wren.core.mix.word_levels import word_levels_dbfs
from obsidian_wren.formats.plain import plain
from obsidian_wren.service import clip_rows, clips, scene, voice
from obsidian_wren.service.kept import Takes, current_takes
from obsidian_wren.service.lost_sounds import doing_without
from obsidian_wren.service.measuring import samples_of
from obsidian_wren.service.mix_basis import STEP, basis_of, kept_mixes
from obsidian_wren.service.rigs import the_rig
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.store.models import Derivation, Rig

# As much of a take as its loudness stands on.
_MATERIAL_S = 15.0
_TURN_S = 6.0
_USUAL_DUCKING = Ducking(-40.0, 15.0, 250.0, 400.0)


def derive_mixes(ws: Workshop, session: Session, rig: Rig) -> dict[str, Any] | None:
    """Derive every mix and keep it; None while there is no chain or no talk. What stands is not derived again."""
    return doing_without(session, lambda: _derive_mixes(ws, session, rig))


def _derive_mixes(ws: Workshop, session: Session, rig: Rig) -> dict[str, Any] | None:
    takes = current_takes(session, rig)
    specs, ground = voice.chain_specs(session, rig), takes.voice
    if specs is None or ground is None:
        return None
    basis = basis_of(ws, session, rig, takes)
    kept = kept_mixes(session, rig)
    if kept is not None and kept.used.get("basis") == basis:
        return kept.body
    body = ws.answers.get(("mixes", basis), lambda: _derive(ws, session, takes, specs))
    session.merge(Derivation(rig_id=rig.id, step=STEP, body=body, used={"basis": basis}))
    session.flush()
    return cast("dict[str, Any]", body)


@dataclass(frozen=True)
class _Stage:
    """What all mixes stand on: material, what it measures, how it ducks, and how loud each word is behind the chain."""

    measured: dict[str, Measured]
    foresight: Foresight
    ducking: Ducking
    ducking_because: str
    word_levels: Samples


def _derive(ws: Workshop, session: Session, takes: Takes, specs: tuple[Any, ...]) -> dict[str, Any]:
    ground = takes.voice
    assert ground is not None
    routing, cut = scene.routes(ws, session)
    pads = tuple((clip.sha256, clip.start_s, clip.end_s) for clip in clip_rows.rows(session))
    # How loud the room is tells words from pauses.
    key = (ground.sha256, takes.floor.sha256 if takes.floor else None, tuple(specs), tuple(sorted(routing.sources)), pads)
    stage: _Stage = ws.stages.get(key, lambda: _set(ws, session, takes, specs, routing))
    rows = {row.key: row for row in scene.destinations(ws, session)}
    listeners = {}
    for name, seat in routing.destinations.items():
        pins = scene.pins_of(rows[name])
        # Another listener's mix is nothing to this one: only what changed is worked out again.
        asked = ("landing", key, seat.key, seat.kind, routing.to(name), repr(pins))
        landing: Landing = ws.answers.get(
            asked, lambda seat=seat, pins=pins: land(seat, routing, stage.measured, stage.foresight, pins)
        )  # fmt: skip
        plan = derive_mix(seat, routing, stage.measured, pins, trim_db=landing.trim_db, deeper_db=landing.deeper_db)
        listeners[name] = _listener(plan, landing.outcome, stage.word_levels)
    second = second_plan(ws, ground.rate_hz).because if "second" in routing.sources else ()
    sentences = [" → ".join(named(routing, (send.source, send.destination))) for send in cut]
    return {
        "rate_hz": ground.rate_hz, "ducking": plain(stage.ducking), "ducking_because": stage.ducking_because, "listeners": listeners,
        "cut": sentences, "second": list(second), "sources": {name: round(found.mono_lufs, 2) for name, found in stage.measured.items()},
    }  # fmt: skip


def _set(ws: Workshop, session: Session, takes: Takes, specs: tuple[Any, ...], routing: Routing) -> _Stage:
    ground = takes.voice
    assert ground is not None
    rate = ground.rate_hz
    raw = samples_of(ws, ground)
    treated = ws.sounds.get((ground.sha256, tuple(specs)), lambda: render(specs, raw, rate_hz=rate))
    material = _material(ws, session, routing, raw, treated, rate)
    measured = {name: found for name, sound in material.items() if (found := Measured.of(sound, rate_hz=rate)) is not None}
    for key, source in routing.sources.items():
        if source.kind == "return":
            # Whatever comes back is brought to this loudness before it is mixed.
            measured[key] = Measured.of_one_channel(RETURN_LUFS)
    ducking, because = _ducking(takes, treated, ws, rate)
    words = find_words(treated, rate_hz=rate, room_dbfs=_room_dbfs(ws, takes, specs))
    foresight = Foresight(material, ducking=ducking, rate_hz=rate)
    return _Stage(measured, foresight, ducking, because, word_levels_dbfs(treated, words, rate_hz=rate))


def _material(ws: Workshop, session: Session, routing: Routing, raw: Samples, treated: Samples, rate: int) -> dict[str, Samples]:
    count = round(_MATERIAL_S * rate)
    found: dict[str, Samples] = {"voice raw": raw[:count], "voice treated": treated[:count]}
    # People take turns: the far sides speak after the voice, one after another, and what plays goes on all the while.
    turn = round(_TURN_S * rate)
    far = [key for key, source in routing.sources.items() if source.kind == "return"]
    whole = count + turn * len(far)
    spoken = treated[-turn:]
    lufs = integrated_lufs(spoken, rate_hz=rate)
    speech = spoken * amplitude_from_db(RETURN_LUFS - lufs) if np.isfinite(lufs) else spoken
    for place, key in enumerate(far):
        found[key] = np.concatenate([np.zeros(count + turn * place), speech])
    for key, source in routing.sources.items():
        if source.kind in ("music", "computer"):
            found[key] = ws.world.open_player(source.kind, rate).read(whole)
        elif source.kind == "second":
            stream = ws.world.open_second(rate)
            found["second raw"] = stream.read(whole)
            stream.close()
            found["second treated"] = render(second_plan(ws, rate).specs, found["second raw"], rate_hz=rate)
        elif source.kind == "clips":
            loudest = clips.loudest(ws, session, rate)
            if loudest is not None:
                found[key] = np.resize(loudest, whole)
    return found


def second_plan(ws: Workshop, rate_hz: int) -> InstrumentPlan:
    """The chain of the second microphone, from some seconds of what it hears."""
    plan: InstrumentPlan = ws.answers.get(("second", rate_hz), lambda: _second_plan(ws, rate_hz))
    return plan


def _second_plan(ws: Workshop, rate_hz: int) -> InstrumentPlan:
    stream = ws.world.open_second(rate_hz)
    sound = stream.read(round(_MATERIAL_S * rate_hz))
    stream.close()
    return derive_instrument(sound, rate_hz=rate_hz)


def _room_dbfs(ws: Workshop, takes: Takes, specs: tuple[Any, ...]) -> float:
    floor = takes.floor
    if floor is None:
        return -70.0
    rest = ws.sounds.get((floor.sha256, tuple(specs)), lambda: render(specs, samples_of(ws, floor), rate_hz=floor.rate_hz))
    return max(-90.0, rms_dbfs(rest)) + 6.0


def _ducking(takes: Takes, treated: Samples, ws: Workshop, rate: int) -> tuple[Ducking, str]:
    room = max(-90.0, rms_dbfs(treated[: rate // 4]))
    words = find_words(treated, rate_hz=rate, room_dbfs=room + 6.0)
    if not words:
        return _USUAL_DUCKING, "Too few words to learn your pauses from: usual times."
    return derive_ducking(words, active_dbfs=active_level(treated, rate_hz=rate).level_dbfs, room_dbfs=room)


def _listener(plan: MixPlan, outcome: Outcome, word_levels: Samples) -> dict[str, Any]:
    sends = [
        {
            "source": p.send.source, "tap": p.send.tap, "signal": signal_of(p.send), "gain_db": round(p.gain_db, 3), "duck_db": p.duck_db,
            "lufs": None if p.lufs is None else round(p.lufs, 2), "pinned": p.pinned, "because": p.because,
        }
        for p in plan.sends
    ]  # fmt: skip
    voice_gain = next((p.gain_db for p in plan.sends if p.send.source == "voice"), None)
    return {
        "aim_lufs": plan.aim_lufs, "ceiling_dbtp": plan.ceiling_dbtp, "channels": plan.channels, "because": plan.because, "sends": sends,
        "kept_out": [list(entry) for entry in plan.kept_out], "outcome": plain(outcome), "voice_gain_db": voice_gain,
        "word_levels": [] if voice_gain is None else [round(float(level + voice_gain), 1) for level in np.sort(word_levels)],
    }  # fmt: skip


def mix_of(key: str, body: dict[str, Any]) -> Mix:
    """A kept mix as the engine runs it."""
    sends = tuple(MixSend(send["signal"], send["gain_db"], send["duck_db"]) for send in body["sends"])
    return Mix(key, sends, body["channels"], body["ceiling_dbtp"])


def mixes_of(body: dict[str, Any]) -> tuple[Mix, ...]:
    """Every kept mix."""
    return tuple(mix_of(key, entry) for key, entry in body["listeners"].items())


def ducking_of(body: dict[str, Any]) -> Ducking:
    """The kept ducking."""
    return Ducking(**body["ducking"])


def voice_level_dbfs(entry: dict[str, Any]) -> float:
    """About the loudness at which the voice stands in a kept mix, LUFS; what a feed's own code is sent under."""
    found = [send["lufs"] for send in entry["sends"] if send["source"] == "voice" and send["lufs"] is not None]
    return float(found[0]) if found else float(entry["aim_lufs"])


def refresh(ws: Workshop) -> None:
    """Derive the mixes where they are stale, and let what is live follow."""
    with ws.lock, ws.sessions.begin() as session:
        rig = the_rig(ws, session)
        body = derive_mixes(ws, session, rig)
        if body is not None and ws.run is not None and not ws.run.finished.is_set():
            from obsidian_wren.service.living import inputs_for

            ws.run.change_mixes(mixes_of(body), inputs_for(ws, session, rig))
