"""One microphone against another: response, delay, polarity, and which to take."""

import numpy as np
import pytest

import two_microphones
from obsidian_wren.core.measure.readings import read_talk
from obsidian_wren.core.prove.microphone import heard_through
from obsidian_wren.core.prove.ranking import rank
from obsidian_wren.core.prove.ranking_words import choice, in_time
from obsidian_wren.core.prove.relative import at_once, delay_and_polarity, in_turn
from signals import RATE, noise


def through(world, **how):
    room, talk = two_microphones.heard(world, **how)
    return heard_through(room, talk, read_talk(talk, rate_hz=RATE))


@pytest.mark.parametrize("seed", [3, 27])
def test_the_voice_cancels_at_once_and_one_after_the_other(seed):
    first, second = two_microphones.two_worlds(seed)
    sounds = [two_microphones.heard(world) for world in (first, second)]
    found = at_once(sounds[0], sounds[1], rate_hz=RATE)
    truth = two_microphones.truth_db(first, second, found.hz)
    assert two_microphones.error_db(found, truth) <= 0.5
    off = found.db - truth
    off -= off[found.hz < 12_100.0].mean()
    assert np.mean(np.abs(off) < 2.0 * found.error_db) > 0.8
    in_steps = in_turn(
        heard_through(sounds[0][0], sounds[0][1], read_talk(sounds[0][1], rate_hz=RATE)).sounding,
        through(second, seed=900 + seed, reading=50 + seed).sounding,
    )
    assert two_microphones.error_db(in_steps, truth) <= 1.0
    assert (in_steps.delay_samples, in_steps.inverted) == (None, None)


@pytest.fixture(scope="module")
def pair():
    first, second = two_microphones.two_worlds(3)
    return two_microphones.heard(first, seconds=6.0)[1], two_microphones.heard(second, seconds=6.0)[
        1
    ]


def test_delay_and_polarity_are_right_fifty_times_of_fifty(pair):
    rng = np.random.default_rng(8)
    for _ in range(50):
        delay, inverted = int(rng.integers(-400, 401)), bool(rng.random() < 0.5)
        second = np.roll(pair[1], delay) * (-1.0 if inverted else 1.0)
        found, turned = delay_and_polarity(pair[0], second, rate_hz=RATE)
        assert (found, turned) == (pytest.approx(delay, abs=1.0), inverted)


def test_two_sounds_that_have_nothing_in_common_have_no_delay(pair):
    other = noise(0.05, len(pair[0]) / RATE)[: len(pair[0])]
    assert delay_and_polarity(pair[0], other, rate_hz=RATE) == (None, None)
    said = in_time(True, None, inverted=None, rate_hz=RATE, second="B")
    assert "neither delay nor polarity is known" in said.sentence


def test_sounds_of_different_length_were_not_recorded_together(pair):
    with pytest.raises(ValueError, match="recorded together"):
        at_once((pair[0], pair[0]), (pair[1], pair[1][:-1]), rate_hz=RATE)


def test_the_nearer_one_in_a_live_room_is_taken_and_the_room_decides():
    first, _ = two_microphones.two_worlds(3)
    first["room"]["decay_s"], first["placement"]["distance_m"] = 0.6, 0.4
    second = {**first, "placement": {"distance_m": 0.12, "angle_deg": 0.0}}
    one, other = through(first), through(second)
    ranking = rank(one, other, in_turn(one.sounding, other.sounding))
    assert ranking.better == "second"
    assert ranking.differences[0].code == "room"
    said = choice(ranking, first="A", second="B")
    assert said.title == "Take B"
    assert "B picks up less of your room" in said.sentence
    turned = rank(other, one, in_turn(other.sounding, one.sounding))
    assert turned.better == "first"
    assert choice(turned, first="B", second="A").sentence == said.sentence


def test_the_same_microphone_twice_decides_nothing():
    first, _ = two_microphones.two_worlds(4)
    one, other = through(first), through(first, seed=77, reading=3)
    ranking = rank(one, other, in_turn(one.sounding, other.sounding))
    assert ranking.better is None
    assert choice(ranking, first="A", second="B").title == "Either will do"


def test_hiss_under_the_rooms_noise_is_told_and_not_weighed():
    first, _ = two_microphones.two_worlds(4)
    first["microphone"]["self_noise_dba"] = 4.0
    first["noises"] = [{"kind": "heater", "level_db_spl": 44.0}]
    second = {**first, "microphone": {**first["microphone"], "self_noise_dba": 24.0}}
    one, other = through(first), through(second)
    ranking = rank(one, other, in_turn(one.sounding, other.sounding))
    (hiss,) = [each for each in ranking.differences if each.code == "hiss"]
    assert hiss.second > hiss.first + 4.0
    assert (hiss.weighs_db, ranking.better) == (0.0, None)
