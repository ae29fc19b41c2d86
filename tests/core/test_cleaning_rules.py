"""When hum and keys are taken, and what every part of Clean is said to take."""

from dataclasses import replace

import numpy as np
import pytest

from moving_noise import moving
from obsidian_wren.core.chain.kinds import kind_of
from obsidian_wren.core.derive.chain_plan import derive_chain
from obsidian_wren.core.derive.stage_plan import Pins
from obsidian_wren.core.derive.take_away import taken_between
from obsidian_wren.core.derive.take_set import prepare
from obsidian_wren.core.derive.taken import taken_facts
from obsidian_wren.core.measure.readings import read_quiet, read_talk
from signals import RATE, noise, sine, voice

SECONDS = 20
CLEANING = ("hum", "clicks", "highpass", "noise_reduction", "ring_reduction", "gate")


def press(sound, at_s, size):
    """Keys ``(n,)`` at times."""
    fall = np.exp(-np.arange(round(0.012 * RATE)) / (0.0025 * RATE))
    for at in at_s:
        first = round(at * RATE)
        sound[first : first + len(fall)] += size * fall * noise(1.0, 0.012, seed=first)


def takes(*, hum_dbfs=None, keys=None, pressed=(), typed=(), used=None):
    """A talker 45 dB over a steady room; hum in all of it, keys in the room in use, twice a second
    or at ``pressed`` seconds, and at ``typed`` seconds in the talk; ``used``: what else the room in
    use and the talk hold."""
    quiet, in_use = noise(2e-4, 15.0, seed=9), noise(2e-4, 15.0, seed=7)
    talk = voice()[: SECONDS * RATE] + noise(2e-4, SECONDS, seed=4)
    if used is not None:
        in_use += used[: len(in_use)]
        talk += used[-len(talk) :]
    if hum_dbfs is not None:
        for number in range(1, 7):
            for sound in (quiet, in_use, talk):
                sound[:] += sine(50.02 * number, hum_dbfs - 3.0 * number, len(sound) / RATE)
    if keys is not None:
        press(in_use, pressed or np.arange(0.5, 14.5, 0.5), keys)
        press(talk, typed, keys)
    reading = read_quiet(quiet, rate_hz=RATE)
    return prepare(
        talk,
        quiet,
        in_use,
        rate_hz=RATE,
        rest_rate_hz=RATE,
        in_use_rate_hz=RATE,
        talk_reading=read_talk(talk, rate_hz=RATE, quiet=reading),
        quiet_reading=reading,
    )


def asked(kind, found):
    return kind_of(kind).rule_function()(found, Pins())


def test_hum_that_is_heard_is_taken_line_by_line():
    plan = asked("hum", takes(hum_dbfs=-50.0))
    assert plan.switch.on
    assert plan.settings["mains_hz"].value == pytest.approx(50.02, abs=0.01)
    evidence = plan.evidence
    assert list(evidence.numbers[:4]) == [1, 2, 3, 4]
    assert evidence.before_dbfs[0] == pytest.approx(-53.0, abs=0.5)
    assert (evidence.before_dbfs - evidence.after_dbfs > 20.0).all()


def test_hum_under_the_floor_and_none_at_all_are_left_alone():
    soft = asked("hum", takes(hum_dbfs=-75.0))
    assert (soft.switch.on, soft.switch.because[:10]) == (False, "Not needed")
    assert np.array_equal(soft.evidence.before_dbfs, soft.evidence.after_dbfs)
    none = asked("hum", takes())
    assert (none.switch.on, none.evidence, none.data["lines"]) == (False, None, ())


def test_keys_are_told_from_the_consonants_of_this_voice():
    plan = asked("clicks", takes(keys=0.02))
    assert plan.switch.on
    assert len(plan.evidence.at_s) == pytest.approx(28, abs=2)
    assert np.median(plan.evidence.before_dbfs - plan.evidence.after_dbfs) > 8.0
    assert plan.evidence.touched < 0.01
    none = asked("clicks", takes())
    assert (none.switch.on, none.evidence) == (False, None)
    assert "No short burst" in none.switch.because


def test_keys_that_are_pressed_in_the_talk_are_not_taken_for_the_voice():
    typed = np.arange(0.3, 19.5, 0.21)
    without, beside = (asked("clicks", takes(keys=0.05, typed=each)) for each in ((), typed))
    assert (without.switch.on, beside.switch.on) == (True, True)
    assert beside.evidence.touched < without.evidence.touched + 0.003
    # Were they the voice's own, the edge would lie over most of them.
    own, with_keys = (plan.settings["over_db"].value for plan in (without, beside))
    assert with_keys < own + 2.0


def test_a_burst_or_two_say_too_little_of_how_many_there_are():
    assert [
        asked("clicks", takes(keys=0.05, pressed=at)).switch.on for at in ([4.0], [4.0, 9.0])
    ] == [
        False,
        False,
    ]
    assert asked("clicks", takes(keys=0.05, pressed=[2.0, 4.0, 9.0, 12.0])).switch.on


def test_what_each_part_takes_is_what_the_takes_say():
    before = takes(hum_dbfs=-45.0)
    plan = derive_chain(before, sequence=CLEANING)
    assert set(plan.taken) == {s.key for s in plan.stages if s.switch.on} - {"highpass"}
    taken = plan.taken["hum"]
    assert taken.rest_before_dbfs_a == pytest.approx(before.rest_dbfs_a, abs=0.01)
    assert taken.rest_before_dbfs_a - taken.rest_after_dbfs_a > 3.0
    assert abs(taken.speech_lost_db) < 0.3
    assert {fact.name for fact in taken_facts(taken)} >= {
        "Room at rest",
        "Between your words",
        "Speech lost",
    }


def test_a_word_that_loses_its_beginning_is_counted():
    before = takes()
    cut = before.talk.copy()
    for word in before.words[:3]:
        first = round(word.start_s * RATE)
        cut[first : first + round(0.03 * RATE)] *= 0.3
    taken = taken_between(before, prepare_like(before, cut))
    assert (taken.clipped, taken.words) == (3, len(before.words))
    halved = taken_between(before, prepare_like(before, before.talk * 0.5))
    assert halved.speech_lost_db == pytest.approx(6.02, abs=0.01)
    assert halved.beginnings_lost_db == pytest.approx(6.02, abs=0.01)


def prepare_like(before, talk):
    return replace(before, sounds=replace(before.sounds, talk=talk, known={}))


def test_a_fan_that_only_runs_in_use_is_learned_and_what_moves_is_left():
    fan = asked("noise_reduction", takes(used=noise(2e-3, 40.0, seed=3)))
    rest = asked("noise_reduction", takes())
    rows, still = (np.array(plan.data["profile"])[:, 1] for plan in (fan, rest))
    assert np.median(rows - still) == pytest.approx(20.0, abs=0.5)
    assert fan.switch.on
    assert "in use, where it is steady," in fan.switch.because
    street = asked("noise_reduction", takes(used=moving("street", 4, 40.0) * 0.01))
    assert np.median(np.array(street.data["profile"])[:, 1] - still) < 3.0
    assert "come and go" in street.switch.because


def test_a_gate_that_is_always_open_is_off_and_says_so():
    louder = noise(0.05, 40.0, seed=3)
    plan = asked("gate", takes(used=louder))
    assert not plan.switch.on
    assert plan.switch.because.startswith("It would do nothing")
    assert asked("gate", takes(used=noise(5e-4, 40.0, seed=3))).switch.on


def test_what_is_taken_between_words_is_measured_there():
    before = takes()
    pauses = np.ones(len(before.talk))
    for word in before.words:
        pauses[round((word.start_s - 0.05) * RATE) : round((word.end_s + 0.1) * RATE)] = 10.0
    taken = taken_between(before, prepare_like(before, before.talk * pauses * 0.1))
    fall = taken.between_before_dbfs_a - taken.between_after_dbfs_a
    assert fall == pytest.approx(20.0, abs=0.5)
    assert "Between your words" in {fact.name for fact in taken_facts(taken)}
    unknown = replace(taken, between_before_dbfs_a=None, between_after_dbfs_a=None)
    assert "Between your words" not in {fact.name for fact in taken_facts(unknown)}
