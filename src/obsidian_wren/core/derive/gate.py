"""Gate, expander or none, from two distributions: the room in use and the words of the voice, as
the gate's own detector hears them.

The threshold lies where the two errors balance as the person weighs them: the share of speech under
it (cut words) against the share of room over it (leaked room). Where noise reduction tells how
likely speech is, that opens too, and the two edges are set together. Hold and release come from the
pauses between this person's words.

Source: Neyman and Pearson (1933) with weighed errors, for the threshold; practice for
hysteresis and times.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from obsidian_wren.core.chain.gate import GateSpec
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive.gate_evidence import (
    DetectorTrace,
    GateCounts,
    GateEvidence,
    count,
    held_back_db,
    rest_heard,
    room_heard,
    shares,
    talk_heard,
)
from obsidian_wren.core.derive.gate_opening import HIGHER_DB, Opening, opening_between
from obsidian_wren.core.derive.stage_plan import Pins, StagePlan, StagePlanBuilder
from obsidian_wren.core.derive.take_set import TakeSet
from obsidian_wren.core.measure.clicks import click_times_s
from obsidian_wren.core.measure.words import pauses_s
from obsidian_wren.core.numerals import DECIDES_DB, beside
from obsidian_wren.core.wording import _

_GATE, _EXPANDER = 100.0, 2.0
# So much of the two distributions may cross before closing fully would be heard as cutting.
_CLEAR_CROSSING = 0.01
_LEAST_DB, _GENTLE_DB, _FULL_DB, _SPARE_DB = 6.0, 12.0, 30.0, 3.0
_PART_OF_A_PHRASE_S = 0.35
# Three times the attack: open to 95 % in amplitude when the word arrives.
_ATTACK_MS, _AHEAD_MS = 0.8, 2.5
_ALONG = 6.9
# Word ends are 25 to 35 dB under the mean level of speech. As far as the room covers them, they
# must not lose more than is missed, wherever the threshold stands.
_BURIED_DB = 15.0
# A gate that takes less than this over time is open.
_NOTHING_DB = 0.5


def derive_gate(take_set: TakeSet, pins: Pins) -> StagePlan:
    """The rule of the gate."""
    answer = StagePlanBuilder("gate", pins)
    hears_from = set_sidechain(answer, take_set)
    talk, room = _takes_heard(take_set, hears_from)
    speech = talk.inside(take_set.words)
    weight = take_set.preferences.cut_weight
    opening = opening_between(speech, room, weight)
    likely = answer.set("likelihood_db", opening.likelihood_db, _likelihood_because(opening, room))
    if likely != opening.likelihood_db:
        opening = opening_between(speech, room, weight, held_db=likely)
    cut, leaked = opening.cut, opening.leaked
    threshold = answer.set(
        "threshold_dbfs", opening.threshold_dbfs, _threshold_because(cut, leaked, weight)
    )
    reached = reached_dbfs(room.levels_dbfs)
    text = _(
        "Your room stays under {reached:.0f} dBFS in 19 of 20 moments, and the gate closes"
        " above that; lower it would stay open, higher it would chatter.",
        reached=reached,
    )
    answer.set("hysteresis_db", _hysteresis_db(threshold, reached, likely), text)
    floor = take_set.room_dbfs_a + take_set.lift_to_listener().gates_open_db
    need = floor - take_set.preferences.aims.floor_dbfs_a
    crossing = weight * cut + (1.0 - weight) * leaked
    gate = crossing <= _CLEAR_CROSSING
    answer.set("ratio", _GATE if gate else _EXPANDER, _ratio_because(gate, crossing))
    wanted = max(need + _SPARE_DB, _LEAST_DB)
    bearable = bearable_range_db(take_set, hears_from)
    answer.set(
        "range_db",
        min(wanted, bearable if gate else min(bearable, _GENTLE_DB)),
        _range_because(gate, limited=wanted > bearable),
    )
    _times(answer, take_set)
    loudest = float(np.percentile(room.levels_dbfs, 99)) if len(room.levels_dbfs) else -100.0
    on = need >= DECIDES_DB and bool(len(take_set.words))
    plan = answer.plan(on, _because(on, gate, need, loudest, threshold, take_set))
    spec = plan.spec()
    assert isinstance(spec, GateSpec)
    spec = replace(spec, on=True)
    held_db = held_back_db(spec, talk, room, take_set.words, rate_hz=take_set.rate_hz)
    if on and held_db < _NOTHING_DB:
        plan = answer.plan(
            False,
            _(
                "It would do nothing: with the threshold your soft words need, your room opens"
                " it nearly all the time."
            ),
        )
    counts = count(
        spec,
        talk,
        room,
        take_set.words,
        click_times_s(take_set.room, rate_hz=take_set.rate_hz),
        rate_hz=take_set.rate_hz,
    )
    likely_ones = (shares(take, likely) if likely else np.empty(0) for take in (speech, room))
    evidence = GateEvidence(shares(speech), shares(room), counts, *likely_ones)
    return StagePlan("gate", plan.switch, plan.settings, evidence=evidence)


def _takes_heard(take_set: TakeSet, sidechain_hz: float) -> tuple[DetectorTrace, DetectorTrace]:
    """Talk and room as a gate hears them."""
    return talk_heard(take_set, sidechain_hz), room_heard(take_set, sidechain_hz)


def set_sidechain(answer: StagePlanBuilder, take_set: TakeSet) -> float:
    """From where what opens and closes hears, Hz: the lowest pitch of the voice."""
    pitch = take_set.talk_reading.pitch_hz
    low = 100.0 if pitch is None else float(np.clip(pitch.p5, 70.0, 200.0))
    return answer.set("sidechain_hz", low, _("So that rumble under your voice does not open it."))


def reached_dbfs(room: Samples) -> float:
    """What a room seldom passes, dBFS, of its levels ``(n,)`` as a detector follows them."""
    return float(np.percentile(room, 95)) if len(room) else -100.0


def _hysteresis_db(threshold_dbfs: float, reached_dbfs: float, likelihood_db: float) -> float:
    # A closing edge inside the room's own wandering would never let it close. Where likely speech
    # holds the gate open, it need not wait for the level to fall so far.
    over = 0.5 + (HIGHER_DB if likelihood_db > 0.0 else 0.0)
    return round(float(np.clip(threshold_dbfs - reached_dbfs - over, 1.0, 8.0)), 1)


def recount(take_set: TakeSet, spec: GateSpec, *, held: bool = True) -> GateCounts:
    """The counts for settings that somebody tries out; the hysteresis follows the threshold unless
    it is ``held``."""
    talk, room = _takes_heard(take_set, spec.sidechain_hz)
    if not held:
        reached = reached_dbfs(room.levels_dbfs)
        follows = _hysteresis_db(spec.threshold_dbfs, reached, spec.likelihood_db)
        spec = replace(spec, hysteresis_db=follows)
    clicks = click_times_s(take_set.room, rate_hz=take_set.rate_hz)
    return count(spec, talk, room, take_set.words, clicks, rate_hz=take_set.rate_hz)


def _times(answer: StagePlanBuilder, take_set: TakeSet) -> None:
    pauses = pauses_s(take_set.words)
    short = pauses[pauses < _PART_OF_A_PHRASE_S]
    known = len(short) >= 5
    hold = float(np.clip(1000.0 * np.percentile(short, 50), 60.0, 200.0)) if known else 150.0
    text = (
        _(
            "Half of the pauses inside your phrases end within {percentile:.0f} ms.",
            percentile=1000.0 * np.percentile(short, 50),
        )
        if known
        else _("Too few pauses to measure, so this is a usual value.")
    )
    answer.set("hold_ms", hold, text)
    long = pauses[pauses >= _PART_OF_A_PHRASE_S]
    usual = float(np.percentile(long, 50)) if len(long) else 0.6
    between = 1000.0 * usual / 5.0
    ring = take_set.ring
    # The room falls by 60 dB in its decay time; a release to 63 % in a seventh of that goes along.
    along = 0.0 if ring is None or ring.decay_s is None else 1000.0 * ring.decay_s / _ALONG
    answer.set(
        "release_ms",
        float(np.clip(max(between, along), 60.0, 300.0)),
        _(
            "As slow as your room, which decays in {decay_s:.2f} s: its reverb is not cut off.",
            decay_s=ring.decay_s,
        )
        if ring is not None and ring.decay_s is not None and along >= between
        else _(
            "Your pauses between phrases last {usual:.1f} s; the gate is closed after a fifth"
            " of that.",
            usual=usual,
        ),
    )
    answer.set("attack_ms", _ATTACK_MS, _("Short enough for the first consonant."))
    answer.set(
        "look_ahead_ms",
        _AHEAD_MS,
        _("It opens this long before the word, so that no first consonant is clipped."),
    )


def _threshold_because(cut: float, leaked: float, weight: float) -> str:
    return _(
        "Here the errors balance as you weigh them ({weight:.0f} : {weight_2:.0f}):"
        " {cut:.1f} % of your speech does not open it, {leaked:.1f} % of the room does.",
        weight=weight * 100,
        weight_2=(1.0 - weight) * 100,
        cut=cut * 100,
        leaked=leaked * 100,
    )


def _likelihood_because(opening: Opening, room: DetectorTrace) -> str:
    if not len(room.likelihoods_db):
        return _(
            "Noise reduction is off, so there is no speech likelihood: the gate goes by level"
            " alone."
        )
    if opening.likelihood_db == 0.0:
        return _("Your room looks like speech too often, so the gate goes by level alone.")
    higher = opening.threshold_dbfs - opening.by_level_dbfs
    so = (
        _(", and the threshold is {higher:.0f} dB higher", higher=higher)
        if higher >= DECIDES_DB
        else ""
    )
    return _(
        "To noise reduction, {likely:.0f} % of your speech looks clearly like speech, and not"
        " one moment in a hundred of your room does: that opens the gate, however soft{so}.",
        likely=opening.likely * 100,
        so=so,
    )


def _ratio_because(gate: bool, crossing: float) -> str:
    if gate:
        return _("Voice and room hardly overlap, so it can close fully: a gate.")
    return _(
        "Voice and room overlap ({crossing:.1f} % weighted error), so it closes only partly: an"
        " expander.",
        crossing=crossing * 100,
    )


def _range_because(gate: bool, *, limited: bool) -> str:
    if limited:
        return _(
            "As much as your softest word endings can lose: the room masks them, so the gate"
            " closes over them too."
        )
    if gate:
        return _(
            "As far as your noise floor is over the target, and {spare_db:.0f} dB more; beyond"
            " that, only the switching is heard.",
            spare_db=_SPARE_DB,
        )
    return _("A gentle range: what remains is still there, only softer.")


def bearable_range_db(take_set: TakeSet, hears_from_hz: float) -> float:
    """How much all that closes between words may take, dB: by how far the voice stood over the
    room before anything was done, the room in use as much louder as it usually is there."""
    usual = [
        float(np.median(hears.levels_dbfs)) if len(hears.levels_dbfs) else -100.0
        for hears in (rest_heard(take_set, hears_from_hz), room_heard(take_set, hears_from_hz))
    ]
    over_rest = take_set.talk_reading.active_level_dbfs - take_set.quiet_reading.rms_dbfs
    snr = over_rest - max(0.0, usual[1] - usual[0])
    return float(np.clip(snr - _BURIED_DB, _LEAST_DB, _FULL_DB))


def _because(
    on: bool, gate: bool, need: float, loudest: float, threshold: float, take_set: TakeSet
) -> str:
    if not take_set.words:
        return _("No words were found in the take.")
    taken = _("in use") if take_set.in_use is not None else _("at rest")
    stands = beside(need, _("the target"))
    if not on:
        return _(
            "Off: at the listener your noise floor {taken} is predicted to be {stands}. A gate"
            " could only clip words.",
            taken=taken,
            stands=stands,
        )
    sort = "A gate" if gate else _("An expander")
    return _(
        "{sort}: at the listener your noise floor {taken} would be {stands}; its loudest 1 %"
        " reaches {loudest:.0f} dBFS here.",
        sort=sort,
        taken=taken,
        stands=stands,
        loudest=loudest,
    )
