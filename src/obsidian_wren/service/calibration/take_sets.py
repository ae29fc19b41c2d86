"""The takes of a calibration, loaded, cut and brought to one gain, and what they tell of the
room and the tone."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from typing import Any

import numpy as np
from sqlalchemy import select

from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.decibels import Samples, amplitude_from_db
from obsidian_wren.core.derive.aims import Aims, Preferences, Taste
from obsidian_wren.core.derive.capsule import proximity_db
from obsidian_wren.core.derive.prediction import quiet_at_gain, talk_at_gain
from obsidian_wren.core.derive.take_set import Sounds, TakeSet, ToneTakes, leaves_alone, prepare
from obsidian_wren.core.derive.tone_target import Target, average_speech, imported, same_voice
from obsidian_wren.core.measure.decay import (
    Reverb,
    response_from_sweep,
    ring_of_response,
    sweep_signal,
)
from obsidian_wren.core.measure.readings import TalkReading
from obsidian_wren.core.measure.ring_of_speech import ring_of_speech
from obsidian_wren.core.measure.voice_spectrum import POINT_HZ, mean_spectrum
from obsidian_wren.formats.response import response_at
from obsidian_wren.service import calibration
from obsidian_wren.service.calibration.chain_rows import band_of
from obsidian_wren.service.calibration.floors import floor_match
from obsidian_wren.service.calibration.setting_rows import band_rows
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.readings.measuring import (
    quiet_reading,
    room_shift_db,
    samples_of,
    talk_reading,
    undisturbed,
)
from obsidian_wren.service.readings.staleness import stale_take
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.facts import facts_of
from obsidian_wren.store.models import Response, Rig, Take, TargetRow

# A longer take tells nothing more, and the takes are held at every stage.
_LONGEST_S = 90.0
_MOST_PASSAGES = 4
_POOL = ThreadPoolExecutor(2, thread_name_prefix="takes")


def preferences_of(rig: Rig) -> Preferences:
    """What the person wants of the treated voice; the usual where they said nothing."""
    preferences = rig.preferences
    aims: dict[str, Any] = {
        name: tuple(value) if isinstance(value, list) else value
        for name, value in preferences.get("aims", {}).items()
    }
    return Preferences(
        Aims(**aims),
        Taste(**preferences.get("taste", {})),
        float(preferences.get("cut_weight", Preferences().cut_weight)),
        shape_of(preferences) / 100.0,
    )


def shape_of(preferences: Mapping[str, Any]) -> float:
    """How far the voice itself is shaped, percent: an imported curve is followed whole unless a
    person says otherwise, and average speech not at all."""
    usual = 100.0 if preferences.get("target", {}).get("kind") == "imported" else 0.0
    return float(preferences.get("shape_percent", usual))


def follower(app: AppContext, key: tuple[Any, ...]) -> Callable[[TakeSet, StageSpec], TakeSet]:
    """Takes brought through a stage, side by side, and their sounds remembered: a change late in
    the chain leaves what comes before it."""

    def follow(take_set: TakeSet, spec: StageSpec) -> TakeSet:
        if not spec.on:
            return take_set
        return _through(app, key, take_set, (*take_set.passed, spec), lambda: take_set)

    return follow


def behind(
    app: AppContext, key: tuple[Any, ...], first: TakeSet, specs: Sequence[StageSpec]
) -> TakeSet:
    """Takes behind stages that are on: of what is remembered only the last is brought back."""
    if not specs:
        return first
    return _through(
        app, key, first, (*first.passed, *specs), lambda: behind(app, key, first, specs[:-1])
    )


def _through(
    app: AppContext,
    key: tuple[Any, ...],
    known: TakeSet,
    passed: tuple[StageSpec, ...],
    reaching: Callable[[], TakeSet],
) -> TakeSet:
    """The takes behind the last stage of those ``passed``; what is ``known`` beside their sounds
    is not remembered, since it may change."""
    if leaves_alone(passed[-1]):
        return reaching().after(passed[-1])
    sounds: Sounds = calibration.current(app).take_sets.get(
        (key, passed), lambda: reaching().after(passed[-1], _POOL.map).sounds
    )
    return replace(known, sounds=sounds, passed=passed)


def _cut(samples: Samples, rate_hz: float) -> Samples:
    return samples[: round(_LONGEST_S * rate_hz)]


def take_set_of(ctx: RigContext, moved: float, *, refit: bool) -> tuple[TakeSet, tuple[Any, ...]]:
    """The takes before any stage, at the gain of now, and a key for its sounds."""
    voice, rest, used = ctx.takes.voice, ctx.takes.quiet, ctx.takes.of("in-use")
    assert voice is not None and rest is not None
    rest_db, used_db = room_shift_db(rest, voice, ctx.rig) + moved, 0.0
    if used is not None:
        used_db = room_shift_db(used, voice, ctx.rig) + moved
    key = (voice.sha256, rest.sha256, used.sha256 if used else None, moved, rest_db, used_db)
    reading = talk_at_gain(talk_reading(ctx.app, ctx.takes.passage or voice, rest, ctx.rig), moved)
    room = quiet_at_gain(quiet_reading(ctx.app, rest), rest_db)

    def make() -> TakeSet:
        quiet = undisturbed(ctx.app, rest) * amplitude_from_db(rest_db)
        in_use = None if used is None else samples_of(ctx.app, used) * amplitude_from_db(used_db)
        in_use_rate_hz = used.rate_hz if used else None
        match = floor_match(ctx, voice, rest)
        if match is not None and match.findings and match.same_shape:
            quiet = quiet * amplitude_from_db(match.difference_db)
        elif match is not None and match.findings and in_use is None:
            in_use = match.floor * amplitude_from_db(moved)
            in_use_rate_hz = voice.rate_hz
        return prepare(
            _cut(samples_of(ctx.app, voice), voice.rate_hz) * amplitude_from_db(moved),
            quiet,
            in_use,
            rate_hz=voice.rate_hz,
            rest_rate_hz=rest.rate_hz,
            in_use_rate_hz=in_use_rate_hz,
            talk_reading=reading,
            quiet_reading=room,
        )

    take_set: TakeSet = calibration.current(ctx.app).take_sets.get(key, make)
    ring = ring_of(ctx) or ctx.app.answers.get(
        ("speech ends", key),
        lambda: ring_of_speech(take_set.talk, rate_hz=take_set.rate_hz),
    )
    tone = _tone_takes(ctx, refit=refit)
    return (
        replace(
            take_set,
            preferences=preferences_of(ctx.rig),
            ring=ring,
            tone=tone,
            talk_reading=reading,
            quiet_reading=room,
        ),
        key,
    )


def ring_of(ctx: RigContext) -> Reverb | None:
    """The ring of the room from the newest clap or sweep."""
    clap, sweep = ctx.takes.of("clap"), ctx.takes.of("sweep")
    newest = max(
        (take for take in (clap, sweep) if take is not None), key=lambda take: take.id, default=None
    )
    if newest is None:
        return None
    rate = newest.rate_hz

    def measure() -> Reverb | None:
        heard = samples_of(ctx.app, newest)
        if newest.purpose == "clap":
            return ring_of_response(heard, rate_hz=rate)
        return ring_of_response(
            response_from_sweep(heard, sweep_signal(rate_hz=rate), rate_hz=rate),
            rate_hz=rate,
            method="sweep",
        )

    found: Reverb | None = ctx.app.readings.get(("ring", newest.sha256), measure)
    return found


def _tone_takes(ctx: RigContext, *, refit: bool) -> ToneTakes | None:
    """Passages averaged, the room moved to their gain, the target, and the bands that stand."""
    if ctx.takes.passage is None or ctx.takes.quiet is None:
        return None
    passage = _averaged(ctx)
    quiet = quiet_at_gain(
        quiet_reading(ctx.app, ctx.takes.quiet),
        room_shift_db(ctx.takes.quiet, ctx.takes.passage, ctx.rig),
    )
    rows = band_rows(ctx)
    phone = ctx.takes.of("phone")
    standing = None if refit else tuple((band_of(row.value), row.pinned) for row in rows)
    return ToneTakes(
        passage,
        quiet,
        target_of(ctx),
        response_points(ctx),
        placement_points(ctx),
        tuple(band_of(row.value) for row in rows if row.pinned),
        standing,
        None if phone is None else talk_reading(ctx.app, phone, None, ctx.rig),
    )


def passages(ctx: RigContext) -> list[Take]:
    """The passages that still hold, newest first: those that were read in this rig as it stands."""
    present = {f"passage.{fact}": value for fact, value in facts_of(ctx).items()}
    rows = ctx.session.scalars(
        select(Take)
        .where(
            Take.rig_id == ctx.rig.id,
            Take.purpose == "passage",
            Take.fault.is_(None),
            Take.discarded.is_(False),
        )
        .order_by(Take.id.desc())
    )
    newest = ctx.takes.passage
    return [take for take in rows if take is newest or stale_take(take, present) is None][
        :_MOST_PASSAGES
    ]


def _averaged(ctx: RigContext) -> TalkReading:
    readings = [talk_reading(ctx.app, take, ctx.takes.quiet, ctx.rig) for take in passages(ctx)]
    first = readings[0]
    if len(readings) == 1:
        return first
    spectrum = mean_spectrum([reading.voice for reading in readings])
    return replace(
        first,
        voice=spectrum,
        stretches_db=np.concatenate([reading.stretches_db for reading in readings]),
    )


def target_of(ctx: RigContext) -> Target | None:
    """The target that the person chose; None for the usual one."""
    target = ctx.rig.preferences.get("target", {})
    match target.get("kind"):
        case "lower voice":
            return average_speech()
        case "higher voice":
            return average_speech(higher=True)
        case "reference take":
            reference = ctx.takes.of("reference")
            return (
                None
                if reference is None
                else same_voice(talk_reading(ctx.app, reference, ctx.takes.quiet, ctx.rig).voice)
            )
        case "imported":
            row = ctx.session.get(TargetRow, target.get("id") or 0)
            return None if row is None else imported(row.rows, name=row.name)
    return None


def placement_points(ctx: RigContext) -> np.ndarray:
    """What the microphone's distance adds at the points of the fit by physics, dB."""
    return proximity_db(ctx.rig.microphone.pattern, ctx.rig.distance_cm / 100.0, POINT_HZ)


def response_points(ctx: RigContext) -> np.ndarray | None:
    """The microphone's response file at the points of the fit, dB; None without a file."""
    row = (
        ctx.session.get(Response, ctx.rig.microphone.response_id)
        if ctx.rig.microphone.response_id is not None
        else None
    )
    if row is None:
        return None
    hz, db = np.array([r[0] for r in row.rows]), np.array([r[1] for r in row.rows])
    return response_at(POINT_HZ, hz, db)
