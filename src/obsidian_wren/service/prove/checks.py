"""A check: twenty seconds, the room and then the sentence, against the takes of the calibration."""

from __future__ import annotations

from contextlib import suppress

import numpy as np
from sqlalchemy.exc import SQLAlchemyError

from obsidian_wren.core.decibels import Samples, amplitude_from_db
from obsidian_wren.core.measure.readings import read_talk
from obsidian_wren.core.prove.drift import Drift, find_drift
from obsidian_wren.core.prove.drift_words import tell
from obsidian_wren.core.prove.found import DriftBand, FoundCheck
from obsidian_wren.core.prove.pair import starts_at_s
from obsidian_wren.core.prove.sounding import VOICE_HZ, Sounding, heard_for_checks
from obsidian_wren.core.rate import at_rate
from obsidian_wren.core.told import Told
from obsidian_wren.core.wording import _
from obsidian_wren.formats.jsonable import to_jsonable
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.readings import measuring
from obsidian_wren.service.readings.staleness import gain_shift_db
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.store.models import Reading, Take

ROOM_S = 8.0
# Of the room: what a hand on the mouse and a first breath leave.
_ROOM_FROM_S, _ROOM_TO_S = 0.5, 7.6
_LEAST_TALK_S, _USUAL_TALK_S, _WHOLE_S = 5.0, 12.0, 3600.0


def keep_check(ctx: RigContext, take: Take) -> None:
    """Find what drifted in a check's take, and keep it. Raises Refused for what cannot tell."""
    now = _now(measuring.samples_of(ctx.app, take), take.rate_hz)
    then, against = _then(ctx, seconds=now.seconds)
    drift = find_drift(then, now, distance_m=_distance_m(against))
    told = tell(
        drift,
        distance_known=_distance_m(against) is not None,
        cardioid_deg=_cardioid_deg(against),
    )
    found = FoundCheck(
        told.drifted,
        told.readings,
        told.causes,
        _bands(drift),
        against.taken_at,
        drift.change.same_sound,
    )
    ctx.session.merge(Reading(take_id=take.id, body=to_jsonable(found)))
    ctx.session.flush()


def calibration_sounding(ctx: RigContext) -> Sounding | None:
    """What a later check compares with: the room and the whole passage; None before there are
    any."""
    try:
        return _then(ctx, seconds=_WHOLE_S)[0]
    except Refused:
        return None


def get_ready(app: AppContext) -> None:
    """Load what a check compares with, while its take runs; what fails is told when it ends."""
    with suppress(Told, SQLAlchemyError, OSError), app.sessions() as session:
        _then(in_hand(app, session), seconds=_USUAL_TALK_S)


def _now(samples: Samples, rate_hz: int) -> Sounding:
    talk = samples[round(ROOM_S * rate_hz) :]
    if len(talk) < _LEAST_TALK_S * rate_hz:
        raise Refused(
            "too-short",
            _(
                "The check ended before the sentence was read. Record it again and read on"
                " until it ends by itself."
            ),
        )
    # From its first word on, as far as the calibration's: the same words are compared.
    talk = talk[round(starts_at_s(talk, rate_hz=rate_hz) * rate_hz) :]
    return heard_for_checks(room_of(samples, rate_hz), talk, read_talk(talk, rate_hz=rate_hz))


def room_of(samples: Samples, rate_hz: int) -> Samples:
    """The room of a check's samples ``(n,)``."""
    return samples[round(_ROOM_FROM_S * rate_hz) : round(_ROOM_TO_S * rate_hz)]


def _then(ctx: RigContext, *, seconds: float) -> tuple[Sounding, Take]:
    """The calibration's room, and as much of its sentence as the check holds. Raises Refused."""
    quiet, spoken = ctx.takes.quiet, ctx.takes.passage or ctx.takes.talk
    if quiet is None or spoken is None:
        raise Refused(
            "no-calibration",
            _("There is nothing to check against: record the room and read the passage first."),
        )

    def make() -> Sounding:
        rate = spoken.rate_hz
        whole = measuring.samples_of(ctx.app, spoken)
        begin = round(starts_at_s(whole, rate_hz=rate) * rate)
        talk = whole[begin : begin + round(seconds * rate)]
        room = at_rate(measuring.samples_of(ctx.app, quiet), quiet.rate_hz, rate)
        shift = gain_shift_db(quiet, spoken.facts, ctx.rig) or 0.0
        return heard_for_checks(
            room * amplitude_from_db(shift), talk, read_talk(talk, rate_hz=rate)
        )

    then: Sounding = ctx.app.readings.get(
        ("sounding", quiet.sha256, spoken.sha256, round(seconds, 1)), make
    )
    return then, spoken


def _distance_m(take: Take) -> float | None:
    distance = take.facts.get("distance_cm")
    return distance / 100.0 if isinstance(distance, (int, float)) and distance > 0.0 else None


def _cardioid_deg(take: Take) -> float | None:
    angle = take.facts.get("angle_deg")
    is_cardioid = take.facts.get("pattern") == "cardioid" and isinstance(angle, (int, float))
    return float(angle) if is_cardioid and angle is not None else None


def _bands(drift: Drift) -> tuple[DriftBand, ...]:
    """What the picture shows: for each third octave of the voice the change, what it may differ by
    anyway, and what the causes do, dB; the room beside it."""
    change = drift.change
    spread = 2.0 * np.sqrt(np.diag(change.covariance))
    noise = np.interp(np.log(VOICE_HZ), np.log(change.noise_hz), change.db[change.noise])
    known = change.known[change.voice]
    return tuple(
        DriftBand(
            float(hz),
            float(change.db[k]) if known[k] else None,
            float(spread[k]) if known[k] else None,
            float(drift.explained_db[k]) if drift.causes else None,
            float(noise[k]),
        )
        for k, hz in enumerate(VOICE_HZ)
    )
