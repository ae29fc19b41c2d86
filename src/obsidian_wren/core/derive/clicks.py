"""Keys and clicks: where the room in use holds short bursts, how they are told from the voice's
own consonants.

Both are looked at as the stage looks at them: by how much each burst stands out over what lies on
its two sides. The edge lies between the weakest bursts of the room and the strongest of the voice,
nearer to the voice's, so that a consonant is rarely touched. Keys that were pressed while somebody
talked sound like those of the room and are no part of the voice.

Source: Neyman and Pearson (1933) for the edge; Garwood (1936), "Fiducial limits for the Poisson
distribution", for how many there are at least; practice for how many are worth it.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy.special import gammaincinv

from obsidian_wren.core.chain.clicks import ClicksSpec, bursts_of
from obsidian_wren.core.chain.offline import render
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive.stage_plan import Pins, StagePlan, StagePlanBuilder
from obsidian_wren.core.derive.take_set import TakeSet
from obsidian_wren.core.measure.burst_shapes import BurstKind, burst_shapes_db
from obsidian_wren.core.measure.clicks import click_times_s
from obsidian_wren.core.measure.words import within
from obsidian_wren.core.numerals import plain
from obsidian_wren.core.record_types import Numbers
from obsidian_wren.core.wording import _, ngettext

_LEAST_OVER_DB, _USUAL_OVER_DB, _MOST_OVER_DB = 4.0, 6.0, 12.0
_SPARE_DB = 6.0
_MOST_DB = 40.0
_USUAL_LOUDEST_DBFS = -30.0
_RANGE_BECAUSE = _("Down to the level just before and after, rarely that far.")
_AROUND_S = 0.008
# Fewer than this are let through: each stage costs delay. Few bursts tell little of how many there
# are: the least that nine of ten rooms have in which so many were counted (Garwood 1936).
_WORTH_A_MINUTE = 5.0
_DOUBT = 0.1
# Frames between two bursts.
_APART = 6
_HEARD_UNDER_DB = -6.0
# So much of the speech may look like a burst before it is left alone.
_MOST_TOUCHED = 0.01


@dataclass(frozen=True)
class ClickEvidence:
    """Bursts of the room in use: when, s, and their levels from 1 to 9 kHz before and after, dBFS,
    ``(bursts,)`` each; seconds listened to; share of the voice's time in which it acts."""

    at_s: Numbers
    before_dbfs: Numbers
    after_dbfs: Numbers
    seconds: float
    touched: float


def derive_clicks(take_set: TakeSet, pins: Pins) -> StagePlan:
    """The rule for keys and clicks: the bursts of the room in use beside the voice's own."""
    answer = StagePlanBuilder("clicks", pins)
    rate = take_set.rate_hz
    at_s = click_times_s(take_set.room, rate_hz=rate)
    if not len(at_s):
        answer.set("loudest_dbfs", _USUAL_LOUDEST_DBFS, _("No burst was found in the room."))
        answer.set(
            "over_db",
            _USUAL_OVER_DB,
            _("No burst was found in the room, so this is a usual value."),
        )
        answer.set("range_db", _MOST_DB, _RANGE_BECAUSE)
        return answer.plan(False, _because(take_set, 0, 0.0, 0.0, 0.0))
    stands, levels, step_s = bursts_of(take_set.room, rate_hz=rate)
    own, peaks = _around(at_s, stands, step_s), _around(at_s, levels, step_s)
    spoken, talk_levels, _hop_s = bursts_of(take_set.talk, rate_hz=rate)
    inside = within(take_set.words, np.arange(len(spoken)) * step_s)
    loudest = answer.set(
        "loudest_dbfs",
        float(np.percentile(peaks, 95)) + _SPARE_DB,
        _(
            "{spare_db:.0f} dB over all but your loudest bursts; anything louder is your voice.",
            spare_db=_SPARE_DB,
        ),
    )
    own_moments = _of_the_voice(take_set, spoken, stands, step_s)
    voice = spoken[inside & own_moments & (talk_levels <= loudest)]
    strongest = float(np.percentile(voice, 99.8)) if len(voice) else 0.0
    weakest = float(np.percentile(own, 10))
    edge = strongest + 0.3 * max(weakest - strongest, 0.0)
    over = answer.set(
        "over_db",
        float(np.clip(edge, _LEAST_OVER_DB, _MOST_OVER_DB)),
        _(
            "Nine of ten bursts in your room stand out by {weakest:.0f} dB or more; 998 of 1000"
            " moments of your voice by less than {strongest:.0f} dB.",
            weakest=weakest,
            strongest=strongest,
        ),
    )
    answer.set("range_db", _MOST_DB, _RANGE_BECAUSE)
    minutes = len(take_set.room) / rate / 60.0
    often = float(gammaincinv(len(at_s), _DOUBT)) / minutes if minutes else 0.0
    heard = float(np.median(peaks))
    over_aim = (
        heard + take_set.lift_to_listener().gates_open_db - take_set.preferences.aims.floor_dbfs_a
    )
    touched = float(np.mean(voice > over)) if len(voice) else 0.0
    on = often >= _WORTH_A_MINUTE and over_aim > _HEARD_UNDER_DB and touched <= _MOST_TOUCHED
    plan = answer.plan(on, _because(take_set, len(at_s), often, over_aim, touched))
    spec = plan.spec()
    assert isinstance(spec, ClicksSpec)
    after = render([spec], take_set.room, rate_hz=rate) if spec.on else take_set.room
    _out, left, _hop_s = bursts_of(after, rate_hz=rate)
    seconds = len(take_set.room) / rate
    evidence = ClickEvidence(at_s, peaks, _around(at_s, left, step_s), seconds, touched)
    return StagePlan("clicks", plan.switch, plan.settings, evidence=evidence)


def _of_the_voice(
    take_set: TakeSet, spoken: Samples, room_stands: Samples, step_s: float
) -> npt.NDArray[np.bool_]:
    """Which moments of the talk are no key that was pressed meanwhile ``(frames,)``: what stands
    out there and sounds like the bursts of the room is one."""
    rate = take_set.rate_hz
    own = np.ones(len(spoken), dtype=bool)
    room_at, talk_at = _peaks(room_stands), _peaks(spoken)
    kind = BurstKind.of(burst_shapes_db(take_set.room, _times_s(room_at, step_s), rate_hz=rate))
    if kind is None or not len(talk_at):
        return own
    shapes = burst_shapes_db(take_set.talk, _times_s(talk_at, step_s), rate_hz=rate)
    reach = max(1, round(_AROUND_S / step_s))
    for at in talk_at[kind.includes(shapes)]:
        own[max(0, at - reach) : at + reach + 1] = False
    return own


def _times_s(frames: npt.NDArray[np.int64], step_s: float) -> Samples:
    return np.asarray(frames * step_s, dtype=np.float64)


def _peaks(stands: Samples) -> npt.NDArray[np.int64]:
    """The frames of bursts, each where it stands out most."""
    over = np.flatnonzero(stands > _LEAST_OVER_DB)
    bursts = np.split(over, np.flatnonzero(np.diff(over) > _APART) + 1)
    return np.array([each[np.argmax(stands[each])] for each in bursts if len(each)], dtype=np.int64)


def _around(at_s: Samples, values: Samples, step_s: float) -> Samples:
    """The greatest value near each time, ``(bursts,)``."""
    reach = max(1, round(_AROUND_S / step_s))
    found = [
        float(near.max())
        for at in np.round(at_s / step_s).astype(int)
        if len(near := values[max(0, at - reach) : at + reach + 1])
    ]
    return np.array(found)


def _because(take_set: TakeSet, count: int, often: float, over_aim: float, touched: float) -> str:
    seconds = len(take_set.room) / take_set.rate_hz
    where = _("in use") if take_set.in_use is not None else _("at rest")
    if not count:
        return _(
            "No short burst in {seconds:.0f} s of your room {where}.", seconds=seconds, where=where
        )
    counted = ngettext(
        "{count} short burst in {seconds:.0f} s of your room {where}",
        "{count} short bursts in {seconds:.0f} s of your room {where}",
        count,
        seconds=seconds,
        where=where,
    )
    if often < _WORTH_A_MINUTE:
        return _("{told}: too few to justify 14 ms of delay.", told=counted)
    if over_aim <= _HEARD_UNDER_DB:
        return _(
            "{told}, but {over_aim} dB under the target noise floor.",
            told=counted,
            over_aim=plain(-over_aim, 0),
        )
    if touched > _MOST_TOUCHED:
        return _(
            "{told}, but {touched:.1f} % of your own voice looks like them and would go with them.",
            told=counted,
            touched=100.0 * touched,
        )
    return _(
        "{told}; they stand out from what lies before and after them, your voice seldom does.",
        told=counted,
    )
