"""Clicks, rumble and a level that wanders."""

import numpy as np
import pytest

from obsidian_wren.core.measure import clicks, levels
from obsidian_wren.core.measure.readings import read_quiet
from signals import RATE, noise, sine


def test_clicks_have_levels_a_spectrum_and_a_share_of_the_floor():
    background = noise(1e-4, 20.0)
    sound = background.copy()
    peaks = np.linspace(-40.0, -20.0, 24)
    rng = np.random.default_rng(5)
    shape = np.exp(-np.arange(480) / 80.0) * np.sin(2 * np.pi * 2500.0 * np.arange(480) / RATE)
    shape /= np.abs(shape).max()
    for k, peak in enumerate(rng.permutation(peaks)):
        at = round((0.4 + 0.8 * k) * RATE)
        sound[at : at + 480] += 10 ** (peak / 20) * shape
    found = clicks.find_transients(sound, rate_hz=RATE)
    assert found.count == 24
    assert found.levels_dbfs.p50 == pytest.approx(-30.0, abs=0.5)
    assert found.levels_dbfs.p10 == pytest.approx(-38.0, abs=0.7)
    assert found.levels_dbfs.p90 == pytest.approx(-22.0, abs=0.7)
    assert max(found.third_octaves, key=lambda band: band.level_dbfs).centre_hz == 2500
    alone = read_quiet(background, rate_hz=RATE).a_weighted_dbfs
    assert found.a_weighted_without_dbfs == pytest.approx(alone, abs=0.2)
    assert read_quiet(sound, rate_hz=RATE).a_weighted_dbfs > alone + 6


def test_rumble_counts_what_lies_under_60_hz():
    found = read_quiet(
        sine(31.0, -50.0, 12.0) + sine(120.0, -40.0, 12.0) + noise(1e-6, 12.0), rate_hz=RATE
    )
    assert found.rumble_dbfs == pytest.approx(-50.0, abs=0.1)


@pytest.mark.parametrize("per_minute", [0.0, 6.0, -9.0])
def test_a_level_that_wanders_is_told_with_its_error(per_minute):
    at = np.arange(20 * RATE) / RATE
    sound = noise(1e-3, 20.0) * 10 ** (per_minute * at / 60.0 / 20.0)
    found = levels.level_trend(
        levels.frame_levels_dbfs(sound, rate_hz=RATE, frame_s=0.5), stretch_s=0.5
    )
    assert found.db_per_minute == pytest.approx(
        per_minute, abs=4 * found.error_db_per_minute + 0.01
    )
    assert found.error_db_per_minute < 0.3
    assert levels.level_trend(np.zeros(2), stretch_s=0.5).error_db_per_minute == np.inf
