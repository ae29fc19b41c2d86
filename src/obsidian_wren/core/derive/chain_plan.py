"""The whole chain from the takes: each stage's rule in its order, each derived on what the
stages before it leave.

A rule that decides by the floor at the listener needs to know what the stages behind it do to that
floor, and those are derived from what it leaves. So the chain is gone through until both agree:
what was predicted of the stages to come, and what they came to.

Source: practice: a rule measures what reaches its stage, not what was recorded.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from obsidian_wren.core.chain.equalizer import EqualizerSpec
from obsidian_wren.core.chain.filters import response_db
from obsidian_wren.core.chain.kinds import INSTANCES, kind_of
from obsidian_wren.core.chain.sequence import default_sequence
from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.decibels import power_db
from obsidian_wren.core.derive.equalizer_problem import eq_response_db
from obsidian_wren.core.derive.floor_behind import FloorBehind, floor_behind, in_steps
from obsidian_wren.core.derive.gentle_expander import MOST_GENTLE_DB
from obsidian_wren.core.derive.landed import landed
from obsidian_wren.core.derive.landing import Landing
from obsidian_wren.core.derive.noise_reduction import NoiseEvidence
from obsidian_wren.core.derive.order import OrderWarning, warnings
from obsidian_wren.core.derive.stage_plan import Pins, StagePlan
from obsidian_wren.core.derive.take_away import taken_between
from obsidian_wren.core.derive.take_set import FloorToCome, TakeSet
from obsidian_wren.core.derive.taken import Taken
from obsidian_wren.core.measure.loudness import k_weighting_sections
from obsidian_wren.core.measure.voice_spectrum import CELL_HZ
from obsidian_wren.core.measure.weighting import a_weighting_power
from obsidian_wren.core.numerals import DECIDES_DB

# Prediction and outcome agree when no decision can hang on what parts them.
_AGREES_DB = 0.5 * DECIDES_DB
_MOST_ROUNDS = 4


@dataclass(frozen=True)
class ChainPlan:
    """Every stage as derived, in order; where the voice lands; what the order defeats; the takes
    as they leave; what each stage of Clean takes, by its key; and what of the floor was taken to be
    to come where it was derived, by the key of each stage that weighs it."""

    stages: tuple[StagePlan, ...]
    landing: Landing
    order_warnings: tuple[OrderWarning, ...]
    treated: TakeSet
    taken: Mapping[str, Taken] = field(default_factory=dict)
    to_come: Mapping[str, FloorToCome] = field(default_factory=dict)

    def specs(self) -> tuple[StageSpec, ...]:
        """The chain."""
        return tuple(stage.spec() for stage in self.stages)

    def stage(self, kind: str) -> StagePlan:
        """The first stage of a kind."""
        return next(stage for stage in self.stages if stage.kind == kind)


Follow = Callable[[TakeSet, StageSpec], TakeSet]


Ask = Callable[[str, TakeSet, Pins], StagePlan]


def ask_rule(key: str, take_set: TakeSet, pins: Pins) -> StagePlan:
    """The answer of a stage's rule."""
    found: StagePlan = kind_of(key).rule_function()(take_set, pins.of(key))
    return replace(found, key=key)


def derive_chain(
    take_set: TakeSet,
    pins: Pins | None = None,
    *,
    sequence: Sequence[str] | None = None,
    follow: Follow = TakeSet.after,
    ask: Ask = ask_rule,
    start: Mapping[str, FloorToCome] | None = None,
) -> ChainPlan:
    """Derive every stage of ``sequence``.

    ``follow`` brings the takes through a stage, ``ask`` gives the answer of its rule; give ones
    that remember to save time. ``start`` is the ``to_come`` of a plan on the same takes, to begin
    from: what comes to the same is gone through once.

    Raises ValueError from the equalizer's rule where the voice stands over the noise in less than
    an octave.
    """
    keys = default_sequence() if sequence is None else tuple(sequence)
    once = _Once(pins or Pins(), follow, ask)
    weighing = [key for key in keys if kind_of(key).weighs_floor]
    to_come = dict(start or {})
    if set(to_come) != set(weighing):
        to_come = _predicted(take_set, keys, once)
    aim = take_set.preferences.aims.floor_dbfs_a
    found = _gone_through(take_set, keys, to_come, once)
    floor = floor_behind(found.stages, found.reaching, found.leaving)
    for _ in range(_MOST_ROUNDS):
        came = floor.to_come()
        meets = max(floor.beside_voice, floor.in_pauses) < aim + DECIDES_DB
        differs = {key for key in came if not _holds(key, to_come[key], came[key], meets=meets)}
        if not differs:
            break
        # Whose prediction holds is not asked anew.
        to_come = {key: (came if key in differs else to_come)[key] for key in came}
        before, found = found, _gone_through(take_set, keys, to_come, once)
        if found.specs() == before.specs():
            break
        floor = floor_behind(found.stages, found.reaching, found.leaving)
    return _planned(take_set, found, floor, to_come)


def _predicted(take_set: TakeSet, keys: Sequence[str], once: _Once) -> dict[str, FloorToCome]:
    """A first guess of what lies between each stage that weighs the floor and the listener: the
    gain that the voice needs, what the tone does to the room beside it, and of what a compressor
    lifts the room in pauses, what the gentle expander leaves; nothing behind the dynamics, which
    bring both."""
    lift = 0.0
    if "compressor" in keys:
        compressor = once.answer("compressor", take_set)
        lift = compressor.evidence.lift_db if compressor.switch.on else 0.0
    gain = take_set.gain_to_come_db
    if "equalizer" in keys:
        gain += _lifted_by_tone_db(take_set, once.answer("equalizer", take_set).spec())
    left = max(0.0, lift - MOST_GENTLE_DB)
    guess = FloorToCome(in_steps(gain), in_steps(gain + left), in_steps(gain + left))
    weighing = (key for key in keys if kind_of(key).weighs_floor)
    return {key: FloorToCome(0.0, 0.0, 0.0) if kind_of(key).steadies else guess for key in weighing}


def _lifted_by_tone_db(take_set: TakeSet, spec: StageSpec) -> float:
    """What an equalizer does to the A-weighted room beside the K-weighted voice."""
    if not isinstance(spec, EqualizerSpec) or not spec.on:
        return 0.0
    rate_hz = take_set.rate_hz
    treated = 10.0 ** (eq_response_db(spec.bands, CELL_HZ, rate_hz=rate_hz) / 10.0)
    heard = 10.0 ** (response_db(k_weighting_sections(rate_hz), CELL_HZ, rate_hz=rate_hz) / 10.0)
    room = take_set.quiet_reading.noise.cells * a_weighting_power(CELL_HZ)
    voice = take_set.talk_reading.voice.cells * heard
    return power_db(float(np.average(treated, weights=room))) - power_db(
        float(np.average(treated, weights=voice))
    )


def _holds(key: str, predicted: FloorToCome, came: FloorToCome, *, meets: bool) -> bool:
    """Whether no decision of a stage can hang on what parts its prediction from what came.

    A gate that closes in the pauses decides nothing where gates are open. Where the floor at rest
    ``meets`` its aim at the listener, what was not predicted was taken by the stages to come, and
    need not be taken twice.
    """
    if kind_of(key).weighs_floor == "open":
        return abs(came.gates_open_db - predicted.gates_open_db) <= _AGREES_DB
    more = _highest(came) - _highest(predicted)
    return more >= -_AGREES_DB and (meets or more <= _AGREES_DB)


def _highest(found: FloorToCome) -> float:
    return max(found.beside_voice_db, found.in_pauses_db)


class _Once:
    """Rules and stages, each asked and gone through once for the same takes."""

    def __init__(self, pins: Pins, follow: Follow, ask: Ask) -> None:
        self._pins, self._follow, self._ask = pins, follow, ask
        self._answers: dict[object, StagePlan] = {}
        self._takes: dict[object, TakeSet] = {}

    def answer(self, key: str, take_set: TakeSet) -> StagePlan:
        stands_on = (key, take_set.passed, take_set.lifted_db, take_set.floor_to_come)
        if stands_on not in self._answers:
            self._answers[stands_on] = self._ask(key, take_set, self._pins)
        return self._answers[stands_on]

    def after(self, take_set: TakeSet, spec: StageSpec) -> TakeSet:
        if not spec.on:
            return take_set
        stands_on = (take_set.passed, spec, take_set.lifted_db)
        if stands_on not in self._takes:
            self._takes[stands_on] = self._follow(take_set, spec)
        return self._takes[stands_on]


@dataclass(frozen=True)
class _Round:
    """The chain gone through once: each stage with the takes that reach it, and those that
    leave."""

    stages: tuple[StagePlan, ...]
    reaching: tuple[TakeSet, ...]
    leaving: TakeSet

    def specs(self) -> tuple[StageSpec, ...]:
        return tuple(stage.spec() for stage in self.stages)

    def reaching_first(self, holds: Callable[[str], bool]) -> TakeSet | None:
        """The takes that reach the first stage whose key is meant."""
        found = zip(self.stages, self.reaching, strict=True)
        return next((takes for stage, takes in found if holds(stage.key)), None)


def _gone_through(
    take_set: TakeSet, keys: Sequence[str], to_come: Mapping[str, FloorToCome], once: _Once
) -> _Round:
    stages, reaching = [], []
    here = take_set
    for key in keys:
        weighs = kind_of(key).weighs_floor
        asked = replace(here, floor_to_come=to_come.get(key)) if weighs else here
        stage = once.answer(key, asked)
        stages.append(stage)
        reaching.append(here)
        after = once.after(here, stage.spec())
        # A gain that waits in pauses lifts the room by what it takes from the voice.
        lifted = (
            here.loudness_lufs - after.loudness_lufs
            if key == "leveller" and stage.switch.on
            else 0.0
        )
        here = replace(after, lifted_db=here.lifted_db + lifted) if lifted else after
    return _Round(tuple(stages), tuple(reaching), here)


def _planned(
    take_set: TakeSet, round_: _Round, floor: FloorBehind, to_come: Mapping[str, FloorToCome]
) -> ChainPlan:
    after = round_.leaving
    steadied = round_.reaching_first(lambda key: kind_of(key).steadies) or take_set
    limited = round_.reaching_first(lambda key: key == "limiter") or take_set
    landing = landed(
        steadied,
        limited,
        after,
        beside_voice_dbfs_a=floor.beside_voice,
        in_pauses_dbfs_a=floor.in_pauses,
    )
    stages = tuple(_with_floor(stage, landing) for stage in round_.stages)
    running = [stage.kind for stage in stages if stage.switch.on and stage.key not in INSTANCES]
    return ChainPlan(stages, landing, warnings(running), after, _taken(round_), to_come)


def _taken(round_: _Round) -> dict[str, Taken]:
    """What each stage of cleaning that is on takes."""
    following = (*round_.reaching[1:], round_.leaving)
    return {
        stage.key: taken_between(here, after)
        for stage, here, after in zip(round_.stages, round_.reaching, following, strict=True)
        if stage.switch.on and kind_of(stage.key).step == "clean"
    }


def _with_floor(stage: StagePlan, landing: Landing) -> StagePlan:
    """A stage whose evidence is the floor, with the floor that all of it came to."""
    if not isinstance(stage.evidence, NoiseEvidence):
        return stage
    found = replace(
        stage.evidence,
        floor_after_dbfs_a=landing.beside_voice_dbfs_a,
        in_pauses_dbfs_a=landing.floor_dbfs_a,
    )
    return replace(stage, evidence=found)
