"""The gentle expander behind the dynamics: where they lift the floor over its target again.

A compressor's make-up lifts the room in the pauses by what it takes from the voice. What noise
reduction and gate leave over the target then goes here, softly: at most as much as a word may lose
without being missed.

Source: Giannoulis, Massberg and Reiss (2012) for expander and times; practice for range and ratio.
"""

from __future__ import annotations

import numpy as np

from obsidian_wren.core.chain.gate import GateSpec
from obsidian_wren.core.derive.gate import bearable_range_db, reached_dbfs, set_sidechain
from obsidian_wren.core.derive.gate_evidence import rest_heard, talk_heard
from obsidian_wren.core.derive.gate_opening import opening_between
from obsidian_wren.core.derive.stage_plan import Pins, StagePlan, StagePlanBuilder
from obsidian_wren.core.derive.take_set import TakeSet
from obsidian_wren.core.numerals import DECIDES_DB, beside
from obsidian_wren.core.wording import _

MOST_GENTLE_DB = 6.0
_LEAST_DB = 3.0
_RATIO = 1.5
_HYSTERESIS_DB = 1.0
_ATTACK_MS, _HOLD_MS, _RELEASE_MS = 1.0, 150.0, 200.0
# Softer than all but this share of the voice: nothing but word ends is touched, and they lose no
# more than the range.
_SOFT_PERCENT = 10.0


def derive_gentle_expander(take_set: TakeSet, pins: Pins) -> StagePlan:
    """The rule of the gentle expander: the room behind the dynamics against the aim."""
    answer = StagePlanBuilder("gate", pins)
    aim = take_set.preferences.aims.floor_dbfs_a
    hears_from = set_sidechain(answer, take_set)
    speech = talk_heard(take_set, hears_from).inside(take_set.words)
    rest = rest_heard(take_set, hears_from)
    spoken, room = speech.levels_dbfs, rest.levels_dbfs
    need = take_set.rest_dbfs_a + take_set.lift_to_listener().in_pauses_db - aim
    gates = [spec for spec in take_set.passed if isinstance(spec, GateSpec)]
    taken = sum(spec.range_db for spec in gates)
    spare = bearable_range_db(take_set, hears_from) - taken
    span = answer.set(
        "range_db",
        float(np.clip(min(need + 1.0, spare), _LEAST_DB, MOST_GENTLE_DB)),
        _(
            "What is missing, at most {most_gentle_db:.0f} dB: a word that loses that much is"
            " still whole.",
            most_gentle_db=MOST_GENTLE_DB,
        ),
    )
    soft = float(np.percentile(spoken, _SOFT_PERCENT)) if len(spoken) else -60.0
    stays = 100.0 - _SOFT_PERCENT
    # What the room is now and then opens it, and holds it open.
    reached = reached_dbfs(room)
    whole = reached + span / (_RATIO - 1.0)
    answer.set(
        "threshold_dbfs",
        min(whole, soft),
        (
            _(
                "Your room, seldom over {reached:.0f} dBFS here, gets the full range; {stays:.0f}"
                " % of your speech stays above it.",
                reached=reached,
                stays=stays,
            )
            if whole <= soft
            else _("Not higher, so that {stays:.0f} % of your speech stays above it.", stays=stays)
        ),
    )
    answer.set(
        "likelihood_db",
        opening_between(speech, rest, take_set.preferences.cut_weight).likelihood_db,
        _(
            "A sound that noise reduction takes for speech stays whole; 0 where it knows no"
            " more than the level."
        ),
    )
    answer.set(
        "hysteresis_db", _HYSTERESIS_DB, _("With so little range, a small hysteresis is enough.")
    )
    answer.set("ratio", _RATIO, _("Soft: the further below, the more."))
    answer.set("attack_ms", _ATTACK_MS, _("Short enough for the first consonant."))
    answer.set("hold_ms", _HOLD_MS, _("By then a word has ended."))
    answer.set("release_ms", _RELEASE_MS, _("Slow, so that the room does not seem to pump."))
    answer.set("look_ahead_ms", 0.0, _("None: so small a range needs no delay."))
    stands = beside(need, _("the target"))
    if need < DECIDES_DB or not take_set.words:
        return answer.plan(
            False,
            _("Off: after dynamics your noise floor stays {stands}.", stands=stands),
        )
    if spare < _LEAST_DB:
        return answer.plan(
            False,
            _(
                "Off, although after dynamics your noise floor would be {stands}: the gate"
                " already takes {taken:.0f} dB, and more would take your soft word endings.",
                stands=stands,
                taken=taken,
            ),
        )
    return answer.plan(
        True,
        _("After dynamics your noise floor would be {stands} at the listener.", stands=stands),
    )
