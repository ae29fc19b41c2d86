"""Noise reduction: only as strong as the listener's floor asks for.

Source: Ephraim and Malah (1984) for the gain; practice for how much a voice can bear.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.chain.engine import render
from obsidian_wren.core.chain.noise_reduction import NoiseReductionSpec
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive.stage_plan import Answer, Pins, StagePlan
from obsidian_wren.core.derive.take_set import TakeSet, room_a_weighted_dbfs
from obsidian_wren.core.measure.artefacts import SpeechLoss, restlessness_db, speech_loss
from obsidian_wren.core.measure.noise_profile import NoiseProfile, noise_profile

MOST_DB = 18.0
_LEAST_DB = 3.0
_STEADY_SPREAD_DB = 7.5
# What the ear takes for hollow words: a loss of the speech itself.
MOST_LOSS_DB = 1.0
_HEARD_S = 12.0


@dataclass(frozen=True)
class NoiseEvidence:
    """Floor at the listener before and after in dBFS(A), the aim, and the profile:

    Hz, dB per Hz, spread in dB, ``(rows,)`` each.

    Where it acts: the third octave of the voice that loses most, and how restless the noise is
    before and after, dB.
    """

    floor_dbfs_a: float
    floor_after_dbfs_a: float
    aim_dbfs_a: float
    hz: Samples
    density_db: Samples
    spread_db: Samples
    loss: SpeechLoss | None
    restless_before_db: float
    restless_after_db: float


def profile_rows(profile: NoiseProfile) -> tuple[tuple[float, float], ...]:
    """A profile as the stage takes it: rows of Hz and one-sided density in dB per Hz."""
    hz = np.arange(len(profile.mean_db)) * profile.rate_hz / profile.frame_samples
    density = profile.mean_db - 10.0 * math.log10(profile.rate_hz / profile.frame_samples)
    return tuple(
        (round(float(f), 2), round(float(d), 2))
        for f, d in zip(hz, np.maximum(density, -250.0), strict=True)
    )


def derive_noise_reduction(take_set: TakeSet, pins: Pins) -> StagePlan:
    """The rule of noise reduction: the room at rest, as it will be heard, against the aim."""
    answer = Answer("noise_reduction", pins)
    aim = take_set.wishes.aims.floor_dbfs_a
    floor = room_a_weighted_dbfs(take_set.rest, rate_hz=take_set.rate_hz) + take_set.gain_to_come_db
    wanted = max(0.0, floor - aim)
    held = min(wanted, MOST_DB)
    text = (
        f"At the listener your noise floor would be at {floor:.0f} dBFS(A); {aim:.0f} is quiet"
        " enough behind a voice."
    )
    if wanted > MOST_DB:
        text += f" More than {MOST_DB:.0f} dB would make words hollow."
    profile = noise_profile(take_set.rest, rate_hz=take_set.rate_hz)
    if profile is None:
        answer.set("reduction_db", math.ceil(held), text)
        return answer.plan(
            False,
            "The quiet take is too short to learn its noise from.",
            data={"profile": ((0.0, -250.0), (1e5, -250.0))},
        )
    rows = profile_rows(profile)
    steady = float(np.median(profile.spread_db)) <= _STEADY_SPREAD_DB
    on = wanted >= _LEAST_DB and steady
    acts = on or bool(pins.switches.get("noise_reduction"))
    cost = (
        _cost(take_set, rows, math.ceil(held)) if acts else _Cost(math.ceil(held), None, math.nan)
    )
    if cost.reduction_db < math.ceil(held):
        text += (
            f" Limited to {cost.reduction_db:.0f} dB: more would take over {MOST_LOSS_DB:.0f} dB"
            " from"
            " your words."
        )
    reduction = answer.set("reduction_db", cost.reduction_db, text)
    after = floor
    if acts:
        treated = render(
            [NoiseReductionSpec(reduction, rows)], take_set.rest, rate_hz=take_set.rate_hz
        )
        after = room_a_weighted_dbfs(treated, rate_hz=take_set.rate_hz) + take_set.gain_to_come_db
    evidence = NoiseEvidence(
        floor,
        after,
        aim,
        np.array([row[0] for row in rows]),
        np.array([row[1] for row in rows]),
        profile.spread_db,
        cost.loss,
        restlessness_db(take_set.rest, rate_hz=take_set.rate_hz) if acts else math.nan,
        cost.restless_db,
    )
    return answer.plan(
        on, _because(floor, aim, wanted, steady), data={"profile": rows}, evidence=evidence
    )


@dataclass(frozen=True)
class _Cost:
    reduction_db: float
    loss: SpeechLoss | None
    restless_db: float


def _cost(take_set: TakeSet, rows: tuple[tuple[float, float], ...], wanted_db: float) -> _Cost:
    """The strongest reduction up to the wanted one that takes no more than a decibel from any
    clear band of the voice."""
    talk = take_set.talk[: round(_HEARD_S * take_set.rate_hz)]
    rest = take_set.rest[: round(_HEARD_S * take_set.rate_hz)]
    reduction = wanted_db
    while True:
        spec = NoiseReductionSpec(reduction, rows)
        loss = speech_loss(
            talk, render([spec], talk, rate_hz=take_set.rate_hz), rest, rate_hz=take_set.rate_hz
        )
        if loss is None or loss.loss_db <= MOST_LOSS_DB or reduction <= _LEAST_DB:
            return _Cost(
                reduction,
                loss,
                restlessness_db(
                    render([spec], rest, rate_hz=take_set.rate_hz), rate_hz=take_set.rate_hz
                ),
            )
        reduction = max(_LEAST_DB, reduction - 3.0)


def _because(floor: float, aim: float, wanted: float, steady: bool) -> str:
    if wanted < _LEAST_DB:
        return (
            f"Not needed: your noise floor at rest will be at {floor:.0f} dBFS(A) at the listener,"
            f" and the target is {aim:.0f}."
        )
    if not steady:
        return (
            "Your room's noise comes and goes; a profile would fit it badly and leave warbling. A"
            " gate does more here."
        )
    return (
        f"Your noise floor at rest would be {wanted:.0f} dB over the listener's floor of {aim:.0f}"
        " dBFS(A)."
    )
