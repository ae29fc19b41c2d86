"""The mixes: derived for every listener in use from its kind, what each source measures and what
a person holds; kept until that changes."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from functools import partial

import numpy as np

from obsidian_wren.core.chain.offline import render
from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.decibels import Samples, amplitude_from_db
from obsidian_wren.core.measure.loudness import integrated_lufs
from obsidian_wren.core.mix.ducking import Ducking
from obsidian_wren.core.mix.ducking_plan import plan_ducking
from obsidian_wren.core.mix.instrument import InstrumentPlan, derive_instrument
from obsidian_wren.core.mix.kinds import MixPins
from obsidian_wren.core.mix.landing import MixLanding, land
from obsidian_wren.core.mix.measured import Measured
from obsidian_wren.core.mix.plan import MixPlan, derive_mix, signal_of
from obsidian_wren.core.mix.prediction import Outcome, Prediction
from obsidian_wren.core.mix.return_plan import RETURN_LUFS
from obsidian_wren.core.mix.routes import Routing, named
from obsidian_wren.core.mix.word_levels import room_behind_dbfs, word_levels_dbfs, words_over
from obsidian_wren.core.rate import at_rate
from obsidian_wren.formats.jsonable import to_jsonable
from obsidian_wren.service import mixes
from obsidian_wren.service.calibration import chain_rows
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.convert import convert
from obsidian_wren.service.mixes import beside, clip_rows, clips, scene
from obsidian_wren.service.mixes.events import MixesChanged
from obsidian_wren.service.mixes.inputs import inputs_for
from obsidian_wren.service.mixes.mix_rows import (
    STEP,
    KeptMix,
    KeptMixes,
    KeptSend,
    basis_of,
    is_outdated,
    kept_mixes,
)
from obsidian_wren.service.readings.lost_sounds import doing_without
from obsidian_wren.service.readings.measuring import sound_of
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.service.rig.take_queries import current_takes
from obsidian_wren.service.side_by_side import beside as sides
from obsidian_wren.store.models import Derivation
from obsidian_wren.store.take_files import SoundLost

# As much of a take as its loudness stands on.
_MATERIAL_S = 15.0
_TURN_S = 6.0


def derive_mixes(ctx: RigContext) -> KeptMixes | None:
    """Derive every mix and keep it; None while there is no chain or no talk.

    What stands is not derived again.
    """
    return doing_without(ctx, lambda: _derive_mixes(ctx))


def _derive_mixes(ctx: RigContext) -> KeptMixes | None:
    takes = current_takes(ctx.session, ctx.rig)
    specs, take_set = chain_rows.chain_specs(ctx), takes.voice
    if specs is None or take_set is None:
        return None
    if not is_outdated(ctx):
        return kept_mixes(ctx.session, ctx.rig)
    basis = basis_of(ctx)
    found = _worked_out(ctx, specs, basis)
    ctx.session.merge(
        Derivation(rig_id=ctx.rig.id, step=STEP, body=to_jsonable(found), used={"basis": basis})
    )
    ctx.session.flush()
    return found


def _worked_out(ctx: RigContext, specs: Sequence[StageSpec], basis: str) -> KeptMixes:
    found: KeptMixes = ctx.app.answers.get(
        ("mixes", basis), lambda: ctx.app.work(_derive, _question(ctx, specs))
    )
    return found


@dataclass(frozen=True)
class _Question:
    """What the mixes are derived from: the talk and the room by digest and rate, the chain, who is
    there and gets what, what is held of each mix, the clips; the talk of a person beside by digest
    and rate, with their chain."""

    voice: tuple[str, int]
    floor: tuple[str, int] | None
    specs: tuple[StageSpec, ...]
    routing: Routing
    pins: Mapping[str, MixPins]
    pads: tuple[clip_rows.ClipSound, ...]
    cut: tuple[str, ...]
    person: tuple[tuple[str, int], tuple[StageSpec, ...]] | None


def _question(ctx: RigContext, specs: Sequence[StageSpec]) -> _Question:
    voice, floor = ctx.takes.voice, ctx.takes.floor
    assert voice is not None
    routing, cut = scene.routes(ctx.session)
    return _Question(
        (voice.sha256, voice.rate_hz),
        None if floor is None else (floor.sha256, floor.rate_hz),
        tuple(specs),
        routing,
        {row.key: scene.pins_of(row) for row in scene.destinations(ctx.session)},
        clip_rows.sounds(ctx.session),
        tuple(" → ".join(named(routing, (send.source, send.destination))) for send in cut),
        _person(ctx) if beside.PERSON in routing.sources else None,
    )


def _person(ctx: RigContext) -> tuple[tuple[str, int], tuple[StageSpec, ...]] | None:
    other = beside.person_of(ctx)
    take = None if other is None else other.takes.voice
    specs = None if other is None else chain_rows.chain_specs(other)
    if take is None or specs is None:
        return None
    return (take.sha256, take.rate_hz), specs


@dataclass(frozen=True)
class _Stage:
    """What all mixes stand on: material, what it measures, how it ducks, and how loud each word
    is behind the chain."""

    measured: dict[str, Measured]
    prediction: Prediction
    ducking: Ducking
    ducking_because: str
    word_levels: Samples


def _derive(app: AppContext, asked: _Question) -> KeptMixes:
    routing, (_, rate) = asked.routing, asked.voice
    # How loud the room is tells words from pauses.
    there = tuple(sorted(routing.sources)), asked.pads, asked.person
    key = (asked.voice, asked.floor, asked.specs, *there)
    stage: _Stage = mixes.current(app).materials.get(key, lambda: _set(app, asked))
    listeners = {}
    for name, seat in routing.destinations.items():
        pins = asked.pins[name]
        # Another listener's mix is nothing to this one: only what changed is worked out again.
        one = ("landing", key, seat.key, seat.kind, routing.to(name), repr(pins))
        landing: MixLanding = app.answers.get(
            one, partial(land, seat, routing, stage.measured, stage.prediction, pins)
        )
        plan = derive_mix(
            seat,
            routing,
            stage.measured,
            pins,
            trim_db=landing.trim_db,
            deeper_db=landing.deeper_db,
        )
        listeners[name] = _listener(plan, landing.outcome, stage.word_levels)
    found = KeptMixes(
        listeners,
        stage.ducking,
        stage.ducking_because,
        {name: round(found.mono_lufs, 2) for name, found in stage.measured.items()},
        tuple(second_plan(app, rate).because) if "second" in routing.sources else (),
        asked.cut,
        rate,
    )
    # As it is kept, to the last digit: what runs is what the next start finds.
    return convert(KeptMixes, to_jsonable(found))


def _set(app: AppContext, asked: _Question) -> _Stage:
    voice, rate = asked.voice
    raw, treated = sound_of(app, voice), _treated(app, asked.voice, asked.specs)
    material = _material(app, asked, raw, treated)
    measured = {
        name: found
        for name, sound in material.items()
        if (found := Measured.of(sound, rate_hz=rate)) is not None
    }
    for key, source in asked.routing.sources.items():
        if source.kind == "return":
            # Whatever comes back is brought to this loudness before it is mixed.
            measured[key] = Measured.of_one_channel(RETURN_LUFS)
    room = None if asked.floor is None else _treated(app, asked.floor, asked.specs)
    room_dbfs = room_behind_dbfs(room, treated, rate_hz=rate)
    words = words_over(treated, room_dbfs, rate_hz=rate)
    ducking, because = plan_ducking(treated, words, room_dbfs=room_dbfs, rate_hz=rate)
    prediction = Prediction(material, ducking=ducking, rate_hz=rate)
    return _Stage(
        measured, prediction, ducking, because, word_levels_dbfs(treated, words, rate_hz=rate)
    )


def _treated(app: AppContext, take: tuple[str, int], specs: tuple[StageSpec, ...]) -> Samples:
    """A take, by digest and rate, behind the chain."""
    digest, rate_hz = take
    treated: Samples = app.sounds.get(
        (digest, specs),
        lambda: render(specs, sound_of(app, digest), rate_hz=rate_hz, beside=sides),
    )
    return treated


def _material(
    app: AppContext, asked: _Question, raw: Samples, treated: Samples
) -> dict[str, Samples]:
    routing, (_, rate) = asked.routing, asked.voice
    count = round(_MATERIAL_S * rate)
    found: dict[str, Samples] = {"voice raw": raw[:count], "voice treated": treated[:count]}
    # People take turns: the far sides speak after the voice, one after another, and what plays goes
    # on all the while.
    turn = round(_TURN_S * rate)
    far = [key for key, source in routing.sources.items() if source.kind == "return"]
    whole = count + turn * (len(far) + (asked.person is not None))
    spoken = treated[-turn:]
    lufs = integrated_lufs(spoken, rate_hz=rate)
    speech = spoken * amplitude_from_db(RETURN_LUFS - lufs) if np.isfinite(lufs) else spoken
    for place, key in enumerate(far):
        found[key] = np.concatenate([np.zeros(count + turn * place), speech])
    if asked.person is not None:
        take, specs = asked.person
        before = np.zeros(whole - turn)
        for tap, sound in (
            ("raw", sound_of(app, take[0])),
            ("treated", _treated(app, take, specs)),
        ):
            said = at_rate(sound, rate_hz=take[1], wanted_hz=rate)[-turn:]
            found[f"{beside.PERSON} {tap}"] = np.concatenate([before, said])
    for key, source in routing.sources.items():
        if source.kind in ("music", "computer") and app.world.system is not None:
            # Nobody knows what a real computer will play.
            continue
        if source.kind in ("music", "computer"):
            found[key] = app.world.open_player(source.kind, rate).read(whole)
        elif source.kind == "second":
            stream = app.world.open_second(rate)
            found["second raw"] = stream.read(whole)
            stream.close()
            found["second treated"] = render(
                second_plan(app, rate).specs, found["second raw"], rate_hz=rate
            )
        elif source.kind == "clips":
            loudest = clips.loudest(app, asked.pads, rate)
            if loudest is not None:
                found[key] = np.resize(loudest, whole)
    return found


def second_plan(app: AppContext, rate_hz: int) -> InstrumentPlan:
    """The chain of the second microphone, from some seconds of what it hears."""
    plan: InstrumentPlan = app.answers.get(
        ("second", rate_hz), lambda: app.work(_second_plan, rate_hz)
    )
    return plan


def _second_plan(app: AppContext, rate_hz: int) -> InstrumentPlan:
    stream = app.world.open_second(rate_hz)
    sound = stream.read(round(_MATERIAL_S * rate_hz))
    stream.close()
    return derive_instrument(sound, rate_hz=rate_hz)


def _listener(plan: MixPlan, outcome: Outcome, word_levels: Samples) -> KeptMix:
    sends = tuple(
        KeptSend(
            p.send.source,
            p.send.tap,
            signal_of(p.send),
            round(p.gain_db, 3),
            p.duck_db,
            None if p.lufs is None else round(p.lufs, 2),
            p.pinned,
            p.because,
        )
        for p in plan.sends
    )
    voice_gain = next((p.gain_db for p in plan.sends if p.send.source == "voice"), None)
    levels = () if voice_gain is None else np.sort(word_levels) + voice_gain
    return KeptMix(
        plan.aim_lufs,
        plan.ceiling_dbtp,
        plan.channels,
        plan.because,
        sends,
        tuple(plan.kept_out),
        outcome,
        voice_gain,
        tuple(round(float(level), 1) for level in levels),
    )


def work_out(app: AppContext) -> None:
    """Have the mixes worked out where they are stale, so that whoever derives them next, with the
    lock held, need not wait for it."""
    with suppress(SoundLost), app.sessions() as session:
        ctx = in_hand(app, session)
        specs = chain_rows.chain_specs(ctx)
        if specs is not None and ctx.takes.voice is not None and is_outdated(ctx):
            _worked_out(ctx, specs, basis_of(ctx))


def refresh(app: AppContext) -> None:
    """Derive the mixes where they are stale, and let what is live follow."""
    work_out(app)
    with app.lock, app.sessions.begin() as session:
        ctx = in_hand(app, session)
        found = derive_mixes(ctx)
        if found is not None:
            app.announce(MixesChanged(found.as_run, inputs_for(ctx)))
