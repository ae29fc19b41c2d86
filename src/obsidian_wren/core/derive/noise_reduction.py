"""Noise reduction: only as strong as the listener's floor asks for.

What is known of the noise is the room at rest, and what the room in use adds to it where that is as
steady. What moves is left to the stage for it.

Source: Ephraim and Malah (1984) for the gain; practice for how much a voice can bear.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import partial

import numpy as np

from obsidian_wren.core.chain.noise_reduction import NoiseReductionSpec
from obsidian_wren.core.chain.offline import render
from obsidian_wren.core.decibels import power_db
from obsidian_wren.core.derive.stage_plan import Pins, StagePlan, StagePlanBuilder
from obsidian_wren.core.derive.take_set import TakeSet, room_a_weighted_dbfs
from obsidian_wren.core.measure.artefacts import SpeechLoss, restlessness_db, speech_loss
from obsidian_wren.core.measure.noise_profile import (
    STEADY_SPREAD_DB,
    NoiseProfile,
    noise_profile,
)
from obsidian_wren.core.measure.weighting import a_weighting_power
from obsidian_wren.core.numerals import DECIDES_DB, beside, plain
from obsidian_wren.core.record_types import Level, Numbers
from obsidian_wren.core.wording import _

MOST_DB = 18.0
_LEAST_DB = 3.0
# What the ear takes for hollow words: a loss of the speech itself.
MOST_LOSS_DB = 1.0
# From so many bands on it is said that the room in use moves.
_MUCH_MOVES = 0.1
_HEARD_S = 12.0
_FOLLOW_S = 20.0


@dataclass(frozen=True)
class NoiseEvidence:
    """Floor at the listener beside the voice, without and with noise reduction, and in the pauses
    behind everything, dBFS(A); the aim; and the profile:

    Hz, dB per Hz, spread in dB, ``(rows,)`` each, the spread of the room in use where it was taken.

    Where it acts: the third octave of the voice that loses most, and how restless the noise is
    before and after, dB.
    """

    floor_dbfs_a: Level
    floor_after_dbfs_a: Level
    in_pauses_dbfs_a: Level
    aim_dbfs_a: float
    hz: Numbers
    density_db: Numbers
    spread_db: Numbers
    loss: SpeechLoss | None
    restless_before_db: Level
    restless_after_db: Level


def profile_rows(profile: NoiseProfile) -> tuple[tuple[float, float], ...]:
    """A profile as the stage takes it: rows of Hz and one-sided density in dB per Hz."""
    hz = np.arange(len(profile.mean_db)) * profile.rate_hz / profile.frame_samples
    density = profile.mean_db - 10.0 * math.log10(profile.rate_hz / profile.frame_samples)
    return tuple(
        (round(float(f), 2), round(float(d), 2))
        for f, d in zip(hz, np.maximum(density, -250.0), strict=True)
    )


def derive_noise_reduction(take_set: TakeSet, pins: Pins) -> StagePlan:
    """The rule of noise reduction: the room at rest, as it will be heard behind all that follows,
    beside the voice and in the pauses, against the aim."""
    answer = StagePlanBuilder("noise_reduction", pins)
    aim = take_set.preferences.aims.floor_dbfs_a
    to_come = take_set.lift_to_listener()
    pauses_decide = to_come.in_pauses_db > to_come.beside_voice_db + DECIDES_DB
    lift = to_come.in_pauses_db if pauses_decide else to_come.beside_voice_db
    known = take_set.once("noise profile", lambda: _known(take_set))
    floor = take_set.rest_dbfs_a + known.raised_db + lift
    where = _("in your pauses") if pauses_decide else _("under your voice")
    wanted = max(0.0, floor - aim)
    held = ("noise_reduction", "reduction_db") in pins.numbers
    answer.set(
        "follow_s",
        0.0 if held else _FOLLOW_S,
        _("You pinned the reduction, so the profile stays as recorded.")
        if held
        else _("Slowly, in your pauses: a fan that speeds up is learned, a word is not."),
    )
    profile = known.profile
    text = _(
        "At the listener your noise floor would be at {floor} dBFS(A) {where}; {aim} is quiet"
        " enough under a voice.",
        floor=plain(floor, 0),
        where=where,
        aim=plain(aim, 0),
    )
    if profile is None:
        answer.set("reduction_db", math.ceil(min(wanted, MOST_DB)), text)
        return answer.plan(
            False,
            _("The room at rest is too short to learn its noise."),
            data={"profile": ((0.0, -250.0), (1e5, -250.0))},
        )
    rows = profile_rows(profile)
    steady = known.steady_at_rest
    on = wanted >= DECIDES_DB and steady
    acts = on or bool(pins.switches.get("noise_reduction"))
    needed = acts and wanted >= DECIDES_DB
    asked = _asked(take_set, rows, wanted) if needed else math.ceil(min(wanted, MOST_DB))
    cost = _cost(take_set, rows, asked) if acts else _Cost(asked, None, math.nan)
    if known.raised_db >= DECIDES_DB:
        text += _(
            " In use your room is {raised_db:.0f} dB louder where it is steady; that is learned as"
            " well.",
            raised_db=known.raised_db,
        )
    if cost.reduction_db < asked:
        text += _(
            " Limited to {reduction_db:.0f} dB: more would take over {most_loss_db:.0f} dB"
            " from your words.",
            reduction_db=cost.reduction_db,
            most_loss_db=MOST_LOSS_DB,
        )
    elif wanted > MOST_DB:
        text += _(" More than {most_db:.0f} dB would make words hollow.", most_db=MOST_DB)
    reduction = answer.set("reduction_db", cost.reduction_db, text)
    left = _left(take_set, rows, reduction)[0] if acts else take_set.rest_dbfs_a
    evidence = NoiseEvidence(
        take_set.rest_dbfs_a + to_come.beside_voice_db,
        left + to_come.beside_voice_db,
        left + to_come.in_pauses_db,
        aim,
        np.array([row[0] for row in rows]),
        np.array([row[1] for row in rows]),
        profile.spread_db,
        cost.loss,
        restlessness_db(take_set.rest, rate_hz=take_set.rate_hz) if acts else math.nan,
        cost.restless_db,
    )
    return answer.plan(
        on,
        _because(floor - aim, where, aim, known),
        data={"profile": rows},
        evidence=evidence,
    )


@dataclass(frozen=True)
class _Known:
    """What is known of the noise: its profile, how far the room in use raises its A-weighted level,
    dB, whether the room at rest is steady, and the share of its bins that move in use."""

    profile: NoiseProfile | None
    raised_db: float = 0.0
    steady_at_rest: bool = False
    moving: float = 0.0


def _known(take_set: TakeSet) -> _Known:
    rate = take_set.rate_hz
    rest = noise_profile(take_set.rest, rate_hz=rate)
    if rest is None:
        return _Known(None)
    steady = float(np.median(rest.spread_db)) <= STEADY_SPREAD_DB
    in_use = None if take_set.in_use is None else noise_profile(take_set.in_use, rate_hz=rate)
    if in_use is None:
        return _Known(rest, steady_at_rest=steady)
    both = rest.beside(in_use)
    hz = np.arange(len(rest.mean_db)) * rate / rest.frame_samples
    weights = a_weighting_power(hz)
    was, now = (float(weights @ 10.0 ** (each.mean_db / 10.0)) for each in (rest, both))
    raised = max(0.0, float(power_db(now / max(was, 1e-30))))
    return _Known(both, raised, steady, float(np.mean(~in_use.steady)))


def _left(
    take_set: TakeSet, rows: tuple[tuple[float, float], ...], reduction_db: float
) -> tuple[float, float]:
    """The room at rest behind a reduction: its A-weighted level in dBFS and how restless it is."""

    def hear() -> tuple[float, float]:
        rate, spec = take_set.rate_hz, NoiseReductionSpec(reduction_db, rows)
        rest = render([spec], take_set.rest, rate_hz=rate)
        heard = rest[: round(_HEARD_S * rate)]
        return room_a_weighted_dbfs(rest, rate_hz=rate), restlessness_db(heard, rate_hz=rate)

    return take_set.once(("left", reduction_db), hear)


def _asked(take_set: TakeSet, rows: tuple[tuple[float, float], ...], over_db: float) -> float:
    """The reduction that takes a floor down that stands ``over_db`` over its target, as measured
    on the room: what is asked of the stage and what it gives need not be the same."""
    asked = min(max(math.ceil(over_db), _LEAST_DB), MOST_DB)
    short = over_db + _left(take_set, rows, asked)[0] - take_set.rest_dbfs_a
    if short < DECIDES_DB or asked >= MOST_DB:
        return asked
    return min(asked + math.ceil(short), MOST_DB)


@dataclass(frozen=True)
class _Cost:
    reduction_db: float
    loss: SpeechLoss | None
    restless_db: float


def _cost(take_set: TakeSet, rows: tuple[tuple[float, float], ...], wanted_db: float) -> _Cost:
    """The strongest reduction up to the wanted one that takes no more than a decibel from any
    clear band of the voice."""
    reduction = wanted_db
    while True:
        loss = take_set.once(("lost", reduction), partial(_loss, take_set, rows, reduction))
        if loss is None or loss.loss_db <= MOST_LOSS_DB or reduction <= _LEAST_DB:
            return _Cost(reduction, loss, _left(take_set, rows, reduction)[1])
        reduction = max(_LEAST_DB, reduction - 3.0)


def _loss(
    take_set: TakeSet, rows: tuple[tuple[float, float], ...], reduction_db: float
) -> SpeechLoss | None:
    rate = take_set.rate_hz
    talk, rest = (x[: round(_HEARD_S * rate)] for x in (take_set.talk, take_set.rest))
    treated = render([NoiseReductionSpec(reduction_db, rows)], talk, rate_hz=rate)
    return speech_loss(talk, treated, rest, rate_hz=rate)


def _because(over_db: float, where: str, aim: float, known: _Known) -> str:
    stands = beside(over_db, _("the target of {aim} dBFS(A)", aim=plain(aim, 0)))
    taken = _("at rest") if known.raised_db < DECIDES_DB else _("in use, where it is steady,")
    if over_db < DECIDES_DB:
        return _(
            "Not needed: at the listener your noise floor {taken} is predicted to be"
            " {stands}.{moves}",
            taken=taken,
            stands=stands,
            moves=_moves(known),
        )
    if not known.steady_at_rest:
        return _(
            "Your room's noise comes and goes; a profile would fit it badly and leave"
            " warbling. A gate does more here."
        )
    return _(
        "At the listener your noise floor {taken} would be {stands}, {where}.{moves}",
        taken=taken,
        stands=stands,
        where=where,
        moves=_moves(known),
    )


def _moves(known: _Known) -> str:
    if known.moving < _MUCH_MOVES:
        return ""
    return _(
        " In use {percent:.0f} % of the bands come and go, and this stage leaves them alone:"
        " see What moves.",
        percent=100.0 * known.moving,
    )
