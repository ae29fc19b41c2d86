"""The trace of a slider after the converter."""

import numpy as np
import pytest

from obsidian_wren.core.measure.grid import rescaled_grid


def converted(seed, rms, bits=24, count=200_000):
    noise = np.random.default_rng(seed).standard_normal(count) * rms
    step = 2.0 ** (1 - bits)
    return np.round(noise / step) * step


@pytest.mark.parametrize("rms", [2e-4, 2e-3])
@pytest.mark.parametrize("bits", [16, 24])
def test_a_plain_converter_has_none(rms, bits):
    for seed in range(5):
        assert rescaled_grid(converted(seed, rms, bits)) is None


@pytest.mark.parametrize("gain_db", [-9.3, -4.1, -1.7, 3.3])
def test_a_slider_leaves_the_ratio_of_the_steps(gain_db):
    gain = 10.0 ** (gain_db / 20.0)
    scaled = np.round(converted(3, 3e-4) * gain * 2.0**23) / 2.0**23
    found = rescaled_grid(scaled)
    # Steps of the converter to one of the file, or what rounding leaves of it.
    ratio = 1.0 / gain
    aliases = [abs(k * ratio - whole) for k in (1, 2, 3) for whole in range(-1, 12)]
    assert min(abs(found - alias) for alias in aliases) < 0.002


def test_too_little_tells_nothing():
    assert rescaled_grid(np.zeros(100_000)) is None
    assert rescaled_grid(converted(1, 1e-3, count=1000) * 0.7) is None
