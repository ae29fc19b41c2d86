"""The hum canceller: the lines that the quiet take holds, taken out before anything else hears
them.

Source: Widrow and others (1975) for the canceller; IEC 61672-1 for the weighting that says whether
the hum is heard.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.chain.hum import LOOK_HZ, HumSpec
from obsidian_wren.core.chain.offline import render
from obsidian_wren.core.derive.cause import a_weighted_sum
from obsidian_wren.core.derive.stage_plan import Pins, StagePlan, StagePlanBuilder
from obsidian_wren.core.derive.take_set import TakeSet
from obsidian_wren.core.measure.hum import Hum, beside_lines_dbfs, line_levels_dbfs
from obsidian_wren.core.numerals import beside, plain
from obsidian_wren.core.record_types import Numbers
from obsidian_wren.core.wording import _

# So far under the target the lines add half a decibel to a floor that just meets it.
_HEARD_UNDER_DB = 10.0
_SETTLE_S, _WANDERING_SETTLE_S = 2.0, 1.0
_WANDERS_HZ = 0.02
_USUAL_HZ = 50.0
# What was learned by then is what is judged.
_LEARNED_S = 4.0


@dataclass(frozen=True)
class HumEvidence:
    """The lines of the hum: their multiple of the mains, levels in the room at rest before and
    after, dBFS, ``(lines,)`` each (the same where it is off); and how far the mains wandered,
    Hz."""

    mains_hz: float
    drift_hz: float
    numbers: Numbers
    before_dbfs: Numbers
    after_dbfs: Numbers


def derive_hum(take_set: TakeSet, pins: Pins) -> StagePlan:
    """The rule of the hum canceller: the hum of the room at rest as it will be heard."""
    answer = StagePlanBuilder("hum", pins)
    hum = take_set.quiet_reading.hum
    mains = answer.set(
        "mains_hz",
        _USUAL_HZ if hum is None else hum.mains_hz,
        _("No hum was found, so this is the usual mains frequency.")
        if hum is None
        else _("As measured with the room at rest; from there it is tracked."),
    )
    wanders = hum is not None and hum.drift_hz > _WANDERS_HZ
    answer.set(
        "settle_s",
        _WANDERING_SETTLE_S if wanders else _SETTLE_S,
        _("Faster, because your mains frequency wanders.")
        if wanders and hum is not None
        else _("Slow enough to leave your voice alone."),
    )
    if hum is None:
        return answer.plan(
            False, _("No mains hum stands out in your room at rest."), data={"lines": ()}
        )
    lines = _lines(hum, take_set)
    aim = take_set.preferences.aims.floor_dbfs_a
    heard = a_weighted_sum([(h.hz, h.level_dbfs) for h in hum.harmonics])
    over = heard + take_set.lift_to_listener().in_pauses_db - aim
    on = over > -_HEARD_UNDER_DB
    stands = beside(over, _("the target of {aim} dBFS(A)", aim=plain(aim, 0)))
    count = len(hum.harmonics)
    measured = _(
        "{count} lines of {mains_hz} Hz at rest, {level_dbfs} dBFS together",
        count=count,
        mains_hz=plain(hum.mains_hz, 2),
        level_dbfs=plain(hum.level_dbfs, 0),
    )
    because = (
        _(
            "{told}: at the listener they would be {stands}. Removing them adds no delay and"
            " leaves your voice between them untouched.",
            told=measured,
            stands=stands,
        )
        if on
        else _(
            "Not needed: {told}; at the listener they are predicted to be {stands}.",
            told=measured,
            stands=stands,
        )
    )
    plan = answer.plan(on, because, data={"lines": lines})
    spec = plan.spec()
    assert isinstance(spec, HumSpec)
    evidence = _evidence(take_set, spec, hum.drift_hz, mains)
    return StagePlan("hum", plan.switch, plan.settings, plan.data, evidence)


def _lines(hum: Hum, take_set: TakeSet) -> tuple[tuple[int, float, float], ...]:
    at = np.array([line.hz for line in hum.harmonics])
    beside = take_set.once(
        ("beside lines", at.tobytes()),
        lambda: beside_lines_dbfs(take_set.rest, at, width_hz=LOOK_HZ, rate_hz=take_set.rate_hz),
    )
    return tuple(
        (round(line.hz / hum.mains_hz), round(line.level_dbfs, 1), round(float(noise), 1))
        for line, noise in zip(hum.harmonics, beside, strict=True)
    )


def _evidence(take_set: TakeSet, spec: HumSpec, drift_hz: float, mains_hz: float) -> HumEvidence:
    rate = take_set.rate_hz
    if not spec.on:
        levels = np.array([row[1] for row in spec.lines])
        return HumEvidence(
            mains_hz,
            drift_hz,
            np.array([row[0] for row in spec.lines], dtype=float),
            levels,
            levels,
        )
    numbers = np.array([row[0] for row in spec.lines], dtype=float)
    treated = render([spec], take_set.rest, rate_hz=rate)
    learned = round(_LEARNED_S * rate)
    if len(treated) < 2 * learned:
        learned = 0
    before, after = (
        line_levels_dbfs(x[learned:], numbers * mains_hz, rate_hz=rate)
        for x in (take_set.rest, treated)
    )
    return HumEvidence(mains_hz, drift_hz, numbers, before, after)
