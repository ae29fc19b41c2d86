"""The noise profile."""

import numpy as np
import pytest

from obsidian_wren.core.measure.noise_profile import noise_profile
from signals import RATE, noise


def test_the_noise_profile_holds_spectrum_and_spread():
    found = noise_profile(noise(1e-3, 15.0), rate_hz=RATE)
    assert 10 * np.log10(np.sum(10 ** (found.mean_db / 10))) == pytest.approx(-60.0, abs=0.1)
    # The level of an exponentially spread power has a standard deviation of 5.57 dB.
    assert np.median(found.spread_db[5:-5]) == pytest.approx(5.57, abs=0.15)
    swelling = noise(1e-3, 15.0) * (
        1.0 + 0.9 * np.sin(2 * np.pi * 0.4 * np.arange(15 * RATE) / RATE)
    )
    assert np.median(noise_profile(swelling, rate_hz=RATE).spread_db) > 6.5
    assert noise_profile(noise(1e-3, 0.3), rate_hz=RATE) is None


def test_the_room_in_use_adds_what_is_as_steady_and_nothing_that_moves():
    rest = noise_profile(noise(1e-4, 15.0), rate_hz=RATE)
    fan = noise(1e-3, 15.0, seed=5)
    bursts = np.repeat(np.arange(150) % 5 == 0, RATE // 10) * noise(0.1, 15.0, seed=6)
    steady, moving = (
        rest.beside(noise_profile(sound, rate_hz=RATE)) for sound in (fan, fan + bursts)
    )
    assert np.median(steady.mean_db - rest.mean_db) == pytest.approx(20.0, abs=0.3)
    assert np.median(moving.mean_db - rest.mean_db) < 0.1
    assert not steady.beside(noise_profile(bursts, rate_hz=RATE)).steady[5:-5].any()
    # What is softer in use is still there at rest.
    assert np.array_equal(steady.beside(rest).mean_db, steady.mean_db)


def test_sound_that_was_lost_on_the_way_is_no_noise_that_comes_and_goes():
    whole = noise(1e-3, 15.0)
    torn = whole.copy()
    for start, lost_s in ((4.0, 0.04), (9.3, 0.05)):
        torn[round(start * RATE) : round((start + lost_s) * RATE)] = 0.0
    found, truth = noise_profile(torn, rate_hz=RATE), noise_profile(whole, rate_hz=RATE)
    assert found.steady.mean() > 0.99
    assert np.median(np.abs(found.mean_db - truth.mean_db)) < 0.1
    assert noise_profile(np.zeros(RATE), rate_hz=RATE) is not None
