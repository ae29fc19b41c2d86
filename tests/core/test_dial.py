"""A dial learned from takes."""

import pytest

from obsidian_wren.core.derive.dial import DialTake, learn, steady_level
from obsidian_wren.core.derive.taper import spoken
from obsidian_wren.core.measure.steadiness import frames_of
from signals import RATE, noise

TAPER = {0.0: -6.0, 2.0: 9.0, 4.0: 21.0, 6.0: 31.0, 8.0: 42.0, 10.0: 56.0}


def dial_takes(positions, seed=0):
    takes = []
    for k, position in enumerate(positions):
        sound = noise(1e-4, 5.0, seed=seed + k) * 10 ** (TAPER[position] / 20)
        takes.append(DialTake(position, *steady_level(frames_of(sound, rate_hz=RATE)[0])))
    return takes


def test_a_taper_is_recovered_within_what_it_says():
    found = learn(dial_takes([8.0, 2.0, 4.0, 6.0]))
    truth = [TAPER[p] - TAPER[2.0] for p in found.positions]
    assert list(found.gains_db) == pytest.approx(truth, abs=0.3)
    assert found.error_db < 0.3
    # Between marks the curve is smooth; the truth there is a straight line to half a decibel.
    assert found.gain_db(5.0) == pytest.approx(26.0 - TAPER[2.0], abs=0.6)
    assert found.db_per_unit == pytest.approx(33.0 / 6.0, abs=0.1)


def test_two_marks_are_enough_and_repeats_are_averaged():
    found = learn(dial_takes([4.0, 6.0, 4.0, 6.0]))
    assert found.positions == (4.0, 6.0)
    assert found.gains_db[1] == pytest.approx(10.0, abs=0.2)
    assert found.position_for(4.0, 7.5, low=0, high=10) == pytest.approx(5.5, abs=0.05)


def test_a_dial_that_cannot_be_learned_says_why():
    with pytest.raises(ValueError, match="second position"):
        learn(dial_takes([4.0]))
    with pytest.raises(ValueError, match="steady sound"):
        learn([DialTake(2.0, -20.0, 0.1), DialTake(4.0, -30.0, 0.1)])


@pytest.mark.parametrize(
    "position, unit, says",
    [
        (5.5, "dial", "5½"),
        (5.6, "dial", "5½"),
        (4.0, "dial", "4"),
        (0.25, "dial", "¼"),
        (62.4, "%", "62 %"),
        (31.0, "dB", "31 dB"),
    ],
)
def test_positions_are_spoken_as_they_are_read_off(position, unit, says):
    assert spoken(position, unit) == says
