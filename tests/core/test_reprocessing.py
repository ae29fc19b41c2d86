"""Whether a listener processed the voice again is told from what was sent and what was heard."""

import numpy as np
import pytest

from obsidian_wren.core.decibels import amplitude_from_db
from obsidian_wren.core.mix.reprocessing import compare
from obsidian_wren.simulation.programs import (
    Activation,
    AutoGain,
    EchoCancelling,
    NarrowBand,
    NoiseRemoval,
)
from signals import RATE, noise, voice

SENT = voice()[: 20 * RATE] + noise(2e-4, 20.0, seed=3)
# Every program here works in frames of 20 ms and gives them back one later.
LATE = round(0.02 * RATE)


def through(program, sound=SENT, size=480):
    out = np.concatenate(
        [program.process(sound[at : at + size]) for at in range(0, len(sound), size)]
    )
    return out[LATE:], sound[: len(sound) - LATE]


@pytest.mark.parametrize("gain_db", [-20.0, 0.0, 6.0])
def test_a_plain_path_is_plain(gain_db):
    heard = SENT * amplitude_from_db(gain_db) + noise(1e-6, 20.0, seed=4)
    found = compare(SENT, heard, rate_hz=RATE)
    assert found.gain_db == pytest.approx(gain_db, abs=0.05)
    assert not (found.removes_noise or found.rides_gain or found.cuts_words)
    assert found.soft_taken_db == pytest.approx(0.0, abs=0.5)
    assert found.reaches_hz > 9000.0


def test_noise_removal_is_found():
    heard, sent = through(NoiseRemoval(RATE))
    found = compare(sent, heard, rate_hz=RATE)
    assert found.removes_noise
    assert not found.cuts_words
    assert found.soft_taken_db > 6.0


def test_auto_gain_is_found():
    swell = SENT * 10 ** (
        np.interp(np.arange(len(SENT)), [0, len(SENT) // 2, len(SENT)], [-14.0, 4.0, -14.0]) / 20
    )
    heard, sent = through(AutoGain(RATE), swell)
    found = compare(sent, heard, rate_hz=RATE)
    assert found.rides_gain
    assert not found.cuts_words


def test_a_threshold_that_cuts_words_is_found():
    top = 20 * np.log10(np.abs(SENT).max())
    heard, sent = through(Activation(top - 9.0, RATE))
    assert compare(sent, heard, rate_hz=RATE).cuts_words
    heard, sent = through(Activation(top - 60.0, RATE))
    assert not compare(sent, heard, rate_hz=RATE).cuts_words


def test_a_narrow_path_says_how_far_it_reaches():
    narrow = NarrowBand(RATE, 12)
    found = compare(SENT, narrow.process(SENT), rate_hz=RATE)
    assert 3000.0 < found.reaches_hz < 5100.0
    assert not found.rides_gain


def test_echo_cancelling_mutes_only_while_the_far_side_speaks():
    program = EchoCancelling(RATE)
    far = np.concatenate([np.zeros(RATE), noise(0.1, 1.0), np.zeros(RATE)])
    near = np.full(3 * RATE, 0.1)
    out = np.concatenate(
        [program.process(near[at : at + 480], far[at : at + 480]) for at in range(0, 3 * RATE, 480)]
    )
    assert out[: RATE - 480] == pytest.approx(0.1)
    assert out[2 * RATE - 480] == pytest.approx(0.1 * amplitude_from_db(-15.0), rel=1e-3)
    assert out[-1] == pytest.approx(0.1, rel=1e-3)


@pytest.mark.parametrize(
    "make",
    [
        NoiseRemoval,
        AutoGain,
        lambda rate: Activation(-40.0, rate),
        lambda rate: NarrowBand(rate, 8),
    ],
)
def test_programs_take_blocks_of_any_size(make):
    sound, program = SENT[:RATE], make(RATE)
    whole = make(RATE).process(sound)
    parts = np.concatenate([program.process(sound[at : at + 777]) for at in range(0, RATE, 777)])
    assert np.abs(parts - whole).max() < 1e-9


def test_silence_tells_nothing():
    found = compare(np.zeros(RATE), np.zeros(RATE), rate_hz=RATE)
    assert (found.gain_db, found.soft_taken_db, found.wander_db, found.cut_share) == (
        None,
        None,
        None,
        None,
    )
    assert not (found.removes_noise or found.rides_gain or found.cuts_words)
