"""Two people at one desk: what was put into the other's microphone is found, and taken down."""

import numpy as np
import pytest

from obsidian_wren.core.mix import spill
from obsidian_wren.core.mix.spill_gate import SpillGate
from two_at_a_desk import RATE, SPILL_DB, S, both, desk, lost_db


def run(gate, mics, block=480):
    return np.concatenate(
        [
            gate.process(mics[0][at : at + block], mics[1][at : at + block])
            for at in range(0, len(mics[0]), block)
        ],
        axis=1,
    )


def test_how_loud_each_is_in_the_other_microphone_is_found():
    for path in both():
        assert path.level_db == pytest.approx(SPILL_DB, abs=1.0)
        assert path.late_s == pytest.approx(0.0, abs=0.001)
        # What is left at a listener is 30 dB under the talker.
        assert path.depth_db == pytest.approx(18.0, abs=1.0)
        assert path.seconds > spill.LEAST_S


def test_devices_that_are_apart_in_time_are_found():
    assert spill.apart_s(*desk().measured(late=720)) == pytest.approx(0.015, abs=0.001)


@pytest.mark.parametrize("late", [0, 720])
def test_spill_goes_down_and_no_beginning_is_clipped(late):
    said, turn = desk().in_turn(24)
    mics, other = desk().heard(*said, late)
    gate = SpillGate(*both(), rate_hz=RATE, apart_s=late / RATE)
    gains = run(gate, mics)
    begun = 0
    for k in (0, 1):
        # A microphone's sound is held back until its gain is there.
        at = np.minimum(np.arange(len(turn)) + gate.ahead_samples + k * late, len(turn) - 1)
        gain = gains[k][at]
        assert lost_db(other[k][turn != k], gain[turn != k]) > 12.0
        loud = np.abs(said[k]) > 0.01
        for first in np.flatnonzero(np.diff(turn) == 2 * k - 1) + 1:
            begins = first + int(np.argmax(loud[first:]))
            cut = slice(begins, begins + round(0.05 * RATE))
            assert lost_db(said[k][cut], gain[cut]) < 3.0
            begun += 1
    assert begun == 5


def test_both_stay_up_while_nobody_talks():
    mics, _ = desk().heard(np.zeros(3 * S), np.zeros(3 * S))
    gate = SpillGate(*both(), rate_hz=RATE)
    assert run(gate, mics).min() > 0.9
    assert max(gate.lowered_db) < 1.0


def test_any_size_of_blocks_gives_the_same_gains():
    mics, _ = desk().heard(*desk().in_turn(8)[0])
    gains = [run(SpillGate(*both(), rate_hz=RATE), mics, block) for block in (480, 120, 37)]
    assert gains[0].min() < 0.3
    for other in gains[1:]:
        np.testing.assert_allclose(other, gains[0], atol=1e-9)


def test_too_little_talk_tells_nothing():
    talk = np.concatenate([desk().said[0][: 2 * S], np.zeros(8 * S)])
    mics, _ = desk().heard(talk, np.zeros(10 * S))
    with pytest.raises(spill.SpillUnknown, match="Talk without long pauses, 4 s at least"):
        spill.measure_spill(mics[0], mics[1], rate_hz=RATE)


def test_microphones_that_were_mixed_up_are_refused():
    spill.require_apart(*both())
    mics, _ = desk().heard(desk().said[0][: 10 * S], np.zeros(10 * S))
    wrong = spill.measure_spill(mics[1], mics[0], rate_hz=RATE)
    with pytest.raises(spill.SpillUnknown, match="Both microphones hear both people alike"):
        spill.require_apart(wrong, both()[1])
