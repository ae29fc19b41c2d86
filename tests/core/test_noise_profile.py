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
