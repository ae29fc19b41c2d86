"""A block is made shorter or longer and the tone in it goes on."""

import numpy as np
import pytest

from obsidian_wren.core.mix.splice import lengthened, shortened

RATE = 48_000


def tone(count, hz, *, first=0):
    return 0.1 * np.sin(2 * np.pi * hz * (first + np.arange(count)) / RATE)


@pytest.mark.parametrize("length", [120, 480, 1920])
@pytest.mark.parametrize("change", [shortened, lengthened])
def test_a_tone_goes_on_without_a_step(length, change):
    hz = 1234.5
    most = length // 2
    block = change(tone(length, hz, first=length), most)
    assert 0 < abs(len(block) - length) <= most
    assert (len(block) > length) == (change is lengthened)
    # Before it as it was, and within it no steeper than the tone is.
    whole = np.concatenate([tone(length, hz), block])
    steepest = np.abs(np.diff(tone(RATE, hz))).max()
    assert np.abs(np.diff(whole)).max() < 1.2 * steepest
    # Lengthening ends, and shortening ends, where the tone would have ended.
    np.testing.assert_array_equal(block[-8:], tone(length, hz, first=length)[-8:])


def test_channels_stay_together():
    left = np.random.default_rng(1).normal(size=480)
    wide = np.stack([left, -0.5 * left], axis=1)
    for change in (shortened, lengthened):
        found = change(wide, 200)
        np.testing.assert_allclose(found[:, 1], -0.5 * found[:, 0])


@pytest.mark.parametrize("change", [shortened, lengthened])
def test_silence_and_little_sound_are_taken_as_they_come(change):
    assert not change(np.zeros(480), 300).any()
    assert len(change(np.ones(480), 8)) == 480
    assert len(change(np.ones(32), 30)) == 32
