"""What moves: on where the room in use moves by more than the listener should hear, and the mask
takes it.

Source: practice for what a voice can bear; the rest is measured on the takes: what moves, how far
it falls, and how much of this very voice the mask takes for noise.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.chain.learned import DELAY_S, LearnedSpec, followed, taken_and_kept
from obsidian_wren.core.chain.offline import render
from obsidian_wren.core.decibels import Samples, power_db
from obsidian_wren.core.derive.stage_plan import Pins, StagePlan, StagePlanBuilder
from obsidian_wren.core.derive.take_set import TakeSet
from obsidian_wren.core.measure.artefacts import speech_loss
from obsidian_wren.core.measure.levels import rms_dbfs
from obsidian_wren.core.measure.moments import (
    STEP_S,
    Moment,
    MomentKind,
    MovingRoom,
    a_weighted_levels_dbfs,
    moving_room,
)
from obsidian_wren.core.measure.room_sounds import moving_sound
from obsidian_wren.core.measure.speech import find_voice
from obsidian_wren.core.measure.words import within
from obsidian_wren.core.numerals import DECIDES_DB, beside, plain
from obsidian_wren.core.record_types import Level, Numbers
from obsidian_wren.core.wording import _

_LEAST_DB, _USUAL_DB, _MOST_DB = 9.0, 24.0, 36.0
# What moves comes and goes, so it is brought under the target by so much.
_SPARE_DB = 3.0
# So much has to move to be worth its delay, and to fall.
_WORTH_S_A_MINUTE, _WORTH_DB = 1.5, 3.0
_USUAL_UNDER_DB, _UNDER_DB = 28.0, (18.0, 32.0)
# What the mask takes of a voice itself stays under that nine tenths of the time; so much on top.
_OVER_OWN_DB = 3.0
_QUIET_SPARE_DB = 3.0
_USUAL_QUIET_DBFS = -70.0
_MOST_LOSS_DB = 1.0
# A talk of which, and of whose pauses, so much less is taken than of the room in use does not hold
# what moves there.
_CLEAR_TALK_DB, _CLEAR_DB, _LEAST_PAUSES_S, _BESIDE_FRAMES = 3.0, 8.0, 0.5, 6
_STANDS_OUT_DB = 15.0
_HEARD_S = 12.0
# More points than that no picture shows.
_MOST_STEPS = 800
_STEPS_DB = 3.0


@dataclass(frozen=True)
class MovingKind:
    """All moments of one kind: their A-weighted level before and after, dBFS, and how long they
    last together, s."""

    kind: MomentKind
    seconds: float
    before_dbfs_a: Level
    after_dbfs_a: Level


@dataclass(frozen=True)
class MovingEvidence:
    """The room in use over time: A-weighted levels every ``step_s`` before and after ``(steps,)``,
    what is always there, dBFS(A); its moments; what each kind falls by; for how long something
    moves, s; delay, ms."""

    step_s: float
    before_dbfs_a: Numbers
    after_dbfs_a: Numbers
    always_dbfs_a: Level
    moments: tuple[Moment, ...]
    kinds: tuple[MovingKind, ...]
    moving_s: float
    delay_ms: float


def derive_learned(take_set: TakeSet, pins: Pins) -> StagePlan:
    """The rule for what moves, from the room in use beside the room at rest, and from the talk."""
    answer = StagePlanBuilder("learned", pins)
    in_use = take_set.in_use
    if in_use is None:
        _usual_settings(answer)
        return answer.plan(
            False,
            _(
                "Unknown: your room in use has not been recorded. Record it while you type and"
                " the house goes on, and it shows what moves."
            ),
        )
    rate = take_set.rate_hz
    room = take_set.once("moving", lambda: moving_room(in_use, take_set.rest, rate_hz=rate))
    lift = take_set.lift_to_listener().gates_open_db
    aim = take_set.preferences.aims.floor_dbfs_a
    over_aim = room.highest_dbfs + lift - aim
    often = room.moving_s * 60.0 * rate / max(len(in_use), 1)
    wanted = often >= _WORTH_S_A_MINUTE and over_aim >= DECIDES_DB
    if not wanted and not pins.switches.get("learned"):
        _usual_settings(answer)
        return answer.plan(
            False,
            _because(room, often, over_aim, None),
            evidence=_evidence(take_set, in_use, room, None),
        )
    clear = _is_clear(take_set, in_use)
    # Held notes are only told where the voice stands clearly over all that may hold some.
    stands_out = take_set.active_dbfs - rms_dbfs(in_use) >= _STANDS_OUT_DB
    sings = stands_out and take_set.once("sings", lambda: _sings(take_set.talk, rate))
    under = answer.set("under_voice_db", *_under_voice(take_set, clear=clear))
    quiet = answer.set("quiet_dbfs", *_quiet(take_set, lift, aim))
    # Where nothing moves, and somebody switched it on, nothing stands over the target.
    asked = min(math.ceil(max(over_aim + _SPARE_DB, _LEAST_DB)), _MOST_DB)
    reduction, lost = _bearable(take_set, asked, quiet, under) if clear else (asked, None)
    text = _range_because(asked, reduction, lost)
    spec = LearnedSpec(answer.set("range_db", reduction, text), quiet, under)
    evidence = _evidence(take_set, in_use, room, spec)
    falls = _fall_db(evidence)
    on = wanted and falls >= _WORTH_DB and not sings
    because = (
        _(
            "You hold notes in your talk. A singer also hears the result, and {delay_ms:.0f} ms"
            " later is too late to sing to.",
            delay_ms=evidence.delay_ms,
        )
        if sings and wanted
        else _because(room, often, over_aim, falls)
    )
    return answer.plan(on, because, evidence=evidence)


def _range_because(asked: float, reduction: float, lost: float | None) -> str:
    if reduction < asked:
        return _(
            "Limited to {reduction_db:.0f} dB: more would take over {most_loss_db:.0f} dB from"
            " your words.",
            reduction_db=reduction,
            most_loss_db=_MOST_LOSS_DB,
        )
    wanted = (
        _(
            "As far as the loudest of it is over the target, and {spare_db:.0f} dB more.",
            spare_db=_SPARE_DB,
        )
        if asked < _MOST_DB
        else _(
            "More than {most_db:.0f} dB makes no audible difference under a voice.",
            most_db=_MOST_DB,
        )
    )
    cost = (
        _("The loss in your words is unknown: your talk may contain what moves.")
        if lost is None
        else _("Your words lose {lost_db:.1f} dB at most.", lost_db=max(lost, 0.0))
    )
    return _("{wanted} {cost}", wanted=wanted, cost=cost)


def _is_clear(take_set: TakeSet, in_use: Samples) -> bool:
    """Whether the talk was taken without what moves in the room in use: the mask takes less of it
    than there, and much less between its words."""

    def compare() -> bool:
        taken, _kept, step_s = _talk_looked_at(take_set)
        at_s = np.arange(len(taken)) * step_s
        spoken = within(take_set.words, at_s)
        # Words begin before, and end behind, what was found of them.
        for apart in range(1, _BESIDE_FRAMES + 1):
            spoken[:-apart] |= within(take_set.words, at_s[apart:])
            spoken[apart:] |= within(take_set.words, at_s[:-apart])
        # Who hardly pauses is asked of all of it.
        if np.count_nonzero(~spoken) * step_s < _LEAST_PAUSES_S:
            spoken[:] = False
        there = power_db(
            float(np.mean(taken_and_kept(in_use, rate_hz=take_set.rate_hz)[0])) + 1e-30
        )
        talk, pauses = (power_db(float(np.mean(each)) + 1e-30) for each in (taken, taken[~spoken]))
        return talk <= there - _CLEAR_TALK_DB and pauses <= there - _CLEAR_DB

    return take_set.once("talk is clear", compare)


def _talk_looked_at(take_set: TakeSet) -> tuple[Samples, Samples, float]:
    """What the mask takes and keeps of the talk: the costliest look of the rule, so it is taken
    once."""
    return take_set.once(
        "talk looked at", lambda: taken_and_kept(take_set.talk, rate_hz=take_set.rate_hz)
    )


def _sings(talk: Samples, rate_hz: float) -> bool:
    """Whether what is called talk holds notes."""
    moves = moving_sound(talk, find_voice(talk, rate_hz=rate_hz), rate_hz=rate_hz)
    return moves is not None and moves.kind == "melody"


def _usual_settings(answer: StagePlanBuilder) -> None:
    text = _("A usual value; your takes cannot show it.")
    answer.set("range_db", _USUAL_DB, text)
    answer.set("quiet_dbfs", _USUAL_QUIET_DBFS, text)
    answer.set("under_voice_db", _USUAL_UNDER_DB, text)


def _under_voice(take_set: TakeSet, *, clear: bool) -> tuple[float, str]:
    """How far under the voice lies what the mask takes of this very voice."""
    if not clear:
        return _USUAL_UNDER_DB, _(
            "The mask takes about as much from your talk as from the room in use, so your talk"
            " may contain what moves; this is a usual value. Record normal talk while nothing"
            " moves to know more."
        )

    def measure() -> float | None:
        taken, kept, step_s = _talk_looked_at(take_set)
        spoken = within(take_set.words, np.arange(len(taken)) * step_s)
        if not spoken.any():
            return None
        # As the stage follows them.
        taken, kept = followed(taken, kept, step_s=step_s)
        return float(np.percentile(power_db((kept + 1e-30) / (taken + 1e-30))[spoken], 10))

    own = take_set.once("own voice taken", measure)
    if own is None:
        return _USUAL_UNDER_DB, _("No words were found in the take, so this is a usual value.")
    return round(float(np.clip(own - _OVER_OWN_DB, *_UNDER_DB)), 1), _(
        "In your own voice the mask takes parts that are {own:.0f} dB softer, nine tenths of"
        " the time less. Anything that soft beside your voice passes, and so does your clean"
        " voice.",
        own=own,
    )


def _quiet(take_set: TakeSet, lift_db: float, aim: float) -> tuple[float, str]:
    """What is taken only from here on: the room at rest passes where it is quiet enough."""

    def measure() -> float:
        taken, kept, _step_s = taken_and_kept(take_set.rest, rate_hz=take_set.rate_hz)
        whole = power_db(taken + kept + 1e-30)
        return float(np.percentile(whole, 95)) if len(whole) else _USUAL_QUIET_DBFS

    seldom = take_set.once("rest seldom over", measure)
    over = take_set.rest_dbfs_a + lift_db - aim
    if over < DECIDES_DB:
        return round(seldom + _QUIET_SPARE_DB, 1), _(
            "{spare_db:.0f} dB over a level that your room at rest seldom exceeds: below that"
            " it is quiet enough and passes.",
            spare_db=_QUIET_SPARE_DB,
        )
    return round(seldom - over, 1), _(
        "Your room at rest is {over} dB over the target, so it is reduced as well.",
        over=plain(over, 0),
    )


def _bearable(
    take_set: TakeSet, wanted_db: float, quiet_dbfs: float, under_db: float
) -> tuple[float, float]:
    """The strongest reduction up to the wanted one that takes no more than a decibel from any clear
    band of the voice, and what it takes, dB."""
    reduction, rate = wanted_db, take_set.rate_hz
    talk, rest = (x[: round(_HEARD_S * rate)] for x in (take_set.talk, take_set.rest))
    while True:
        spec = LearnedSpec(reduction, quiet_dbfs, under_db)

        def lose(spec: LearnedSpec = spec) -> float:
            found = speech_loss(talk, render([spec], talk, rate_hz=rate), rest, rate_hz=rate)
            return 0.0 if found is None else found.loss_db

        lost = take_set.once(("lost to the mask", spec), lose)
        if lost <= _MOST_LOSS_DB or reduction <= _LEAST_DB:
            return reduction, lost
        reduction = max(_LEAST_DB, reduction - _STEPS_DB)


def _evidence(
    take_set: TakeSet, in_use: Samples, room: MovingRoom, spec: LearnedSpec | None
) -> MovingEvidence:
    rate = take_set.rate_hz

    def after() -> Samples:
        treated = in_use if spec is None else render([spec], in_use, rate_hz=rate)
        return a_weighted_levels_dbfs(treated, rate_hz=rate)

    left = room.levels_dbfs if spec is None else take_set.once(("moving after", spec), after)
    kinds = sorted({moment.kind for moment in room.moments})
    together = -(-len(left) // _MOST_STEPS) or 1
    return MovingEvidence(
        STEP_S * together,
        _highest_of(room.levels_dbfs, together),
        _highest_of(left, together),
        room.always_dbfs,
        room.moments,
        tuple(_of_kind(kind, room, left) for kind in kinds),
        room.moving_s,
        1000.0 * DELAY_S,
    )


def _highest_of(levels: Samples, together: int) -> Samples:
    """The highest of every so many levels, to a tenth of a decibel."""
    starts = range(0, len(levels), together)
    return np.array([round(float(levels[at : at + together].max()), 1) for at in starts])


def _of_kind(kind: MomentKind, room: MovingRoom, left_dbfs: Samples) -> MovingKind:
    inside = np.zeros(len(room.levels_dbfs), dtype=bool)
    for moment in room.moments:
        if moment.kind == kind:
            inside[round(moment.start_s / STEP_S) : round(moment.end_s / STEP_S)] = True
    inside &= room.moving
    if not inside.any():
        return MovingKind(kind, 0.0, room.always_dbfs, room.always_dbfs)
    before, after = (
        power_db(float(np.mean(10.0 ** (levels[inside] / 10.0))))
        for levels in (room.levels_dbfs, left_dbfs)
    )
    return MovingKind(kind, float(np.count_nonzero(inside)) * STEP_S, before, after)


def _fall_db(evidence: MovingEvidence) -> float:
    """How far all that moves falls together, dB."""
    seconds = np.array([each.seconds for each in evidence.kinds])
    if not seconds.sum():
        return 0.0
    before, after = (
        float(seconds @ 10.0 ** (np.array(levels) / 10.0))
        for levels in (
            [each.before_dbfs_a for each in evidence.kinds],
            [each.after_dbfs_a for each in evidence.kinds],
        )
    )
    return float(power_db(before / max(after, 1e-30)))


def _because(room: MovingRoom, often: float, over_aim: float, falls_db: float | None) -> str:
    seconds = len(room.levels_dbfs) * STEP_S
    if not room.moments:
        return _(
            "Nothing moves: in {seconds:.0f} s your room in use never rises above its constant"
            " noise.",
            seconds=seconds,
        )
    moves = _(
        "Your room in use rises up to {over:.0f} dB above its constant noise, {moving_s:.1f} s"
        " of {seconds:.0f}.",
        over=room.highest_dbfs - room.always_dbfs,
        moving_s=room.moving_s,
        seconds=seconds,
    )
    stands = beside(over_aim, _("the target"))
    if often < _WORTH_S_A_MINUTE:
        return _("{moves} That is too seldom to justify the delay.", moves=moves)
    if over_aim < DECIDES_DB:
        return _("{moves} At the listener that is {stands}.", moves=moves, stands=stands)
    if falls_db is not None and falls_db < _WORTH_DB:
        voice = sum(m.end_s - m.start_s for m in room.moments if m.kind == "voice")
        if voice >= 0.5 * room.moving_s:
            return _(
                "{moves} It is another person's voice, which no mask can tell from yours:"
                " distance, the microphone's pattern and the gate help.",
                moves=moves,
            )
        return _(
            "{moves} The mask reduces it by {falls_db:.0f} dB: not worth the delay.",
            moves=moves,
            falls_db=max(falls_db, 0.0),
        )
    return _("{moves} At the listener that would be {stands}.", moves=moves, stands=stands)
