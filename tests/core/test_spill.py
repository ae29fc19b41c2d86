"""Two people at one desk: what was put into the other's microphone is found, and taken down."""

import numpy as np
import pytest
import scipy.signal

from obsidian_wren.core.mix import spill
from obsidian_wren.core.mix.spill_gate import SpillGate
from obsidian_wren.simulation.acoustics import talker_sound

RATE = 48_000
S = RATE
_SPILL_DB = -12.0


def decaying(rng):
    """A room's way to another microphone: a first wave, and what falls 60 dB in 0.3 s."""
    at = np.arange(round(0.3 * RATE))
    way = 0.02 * rng.standard_normal(len(at)) * 10.0 ** (-3.0 * at / (0.3 * RATE))
    way[0] = 1.0
    return 10.0 ** (_SPILL_DB / 20.0) * way / np.sqrt(np.sum(way**2))


class Desk:
    """Two people and two microphones: what these hear, and what each holds of the other person."""

    def __init__(self):
        self.rng = np.random.default_rng(4)
        self.said = [0.05 * talker_sound(part, RATE) for part in ("talk", "passage")]
        self._ways = [decaying(self.rng), decaying(self.rng)]

    def heard(self, first, second, late=0):
        other = [
            scipy.signal.oaconvolve(sound, way)[: len(sound)]
            for sound, way in zip((second, first), self._ways, strict=True)
        ]
        mics = [
            own + there + 10.0 ** (-65.0 / 20.0) * self.rng.standard_normal(len(own))
            for own, there in zip((first, second), other, strict=True)
        ]
        mics[1] = np.concatenate([np.zeros(late), mics[1]])[: len(first)]
        return mics, other

    def measured(self, late=0):
        silent = np.zeros(10 * S)
        one, other = (sound[: 10 * S] for sound in self.said)
        mics, _ = self.heard(one, silent, late)
        first = spill.measure_spill(mics[0], mics[1], rate_hz=RATE)
        mics, _ = self.heard(silent, other, late)
        return first, spill.measure_spill(mics[1], mics[0], rate_hz=RATE)

    def in_turn(self, seconds):
        """Four seconds each, without a pause between; and whose turn it is."""
        turn = np.arange(seconds * S) // (4 * S) % 2
        return [self.said[k][: seconds * S] * (turn == k) for k in (0, 1)], turn


@pytest.fixture(scope="module")
def desk():
    return Desk()


@pytest.fixture(scope="module")
def both(desk):
    return desk.measured()


def run(gate, mics, block=480):
    return np.concatenate(
        [
            gate.process(mics[0][at : at + block], mics[1][at : at + block])
            for at in range(0, len(mics[0]), block)
        ],
        axis=1,
    )


def lost_db(sound, gain):
    return 10.0 * np.log10(np.sum(sound**2) / np.sum((sound * gain) ** 2))


def test_how_loud_each_is_in_the_other_microphone_is_found(both):
    for path in both:
        assert path.level_db == pytest.approx(_SPILL_DB, abs=1.0)
        assert path.late_s == pytest.approx(0.0, abs=0.001)
        # What is left at a listener is 30 dB under the talker.
        assert path.depth_db == pytest.approx(18.0, abs=1.0)
        assert path.seconds > spill.LEAST_S


def test_devices_that_are_apart_in_time_are_found(desk):
    assert spill.apart_s(*desk.measured(late=720)) == pytest.approx(0.015, abs=0.001)


@pytest.mark.parametrize("late", [0, 720])
def test_spill_goes_down_and_no_beginning_is_clipped(desk, both, late):
    said, turn = desk.in_turn(24)
    mics, other = desk.heard(*said, late)
    gate = SpillGate(*both, rate_hz=RATE, apart_s=late / RATE)
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


def test_both_stay_up_while_nobody_talks(desk, both):
    mics, _ = desk.heard(np.zeros(3 * S), np.zeros(3 * S))
    gate = SpillGate(*both, rate_hz=RATE)
    assert run(gate, mics).min() > 0.9
    assert max(gate.lowered_db) < 1.0


def test_any_size_of_blocks_gives_the_same_gains(desk, both):
    mics, _ = desk.heard(*desk.in_turn(8)[0])
    gains = [run(SpillGate(*both, rate_hz=RATE), mics, block) for block in (480, 120, 37)]
    assert gains[0].min() < 0.3
    for other in gains[1:]:
        np.testing.assert_allclose(other, gains[0], atol=1e-9)


def test_too_little_talk_tells_nothing(desk):
    talk = np.concatenate([desk.said[0][: 2 * S], np.zeros(8 * S)])
    mics, _ = desk.heard(talk, np.zeros(10 * S))
    with pytest.raises(spill.SpillUnknown, match="Talk without long pauses, 4 s at least"):
        spill.measure_spill(mics[0], mics[1], rate_hz=RATE)


def test_microphones_that_were_mixed_up_are_refused(desk, both):
    spill.require_apart(*both)
    mics, _ = desk.heard(desk.said[0][: 10 * S], np.zeros(10 * S))
    wrong = spill.measure_spill(mics[1], mics[0], rate_hz=RATE)
    with pytest.raises(spill.SpillUnknown, match="Both microphones hear both people alike"):
        spill.require_apart(wrong, both[1])
