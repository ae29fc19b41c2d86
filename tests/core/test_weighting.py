"""Weighting curves."""

import numpy as np
import pytest

from obsidian_wren.core.measure.readings import read_quiet
from obsidian_wren.core.measure.weighting import itu468_weighting_power
from signals import RATE, noise, sine


@pytest.mark.parametrize(
    "hz, db",
    [
        (31.5, -29.9),
        (100, -19.8),
        (400, -7.8),
        (1000, 0),
        (3150, 9.0),
        (6300, 12.2),
        (10_000, 8.1),
        (16_000, -11.7),
        (20_000, -22.2),
    ],
)
def test_the_468_network_is_that_of_the_standard(hz, db):
    # ITU-R BS.468-4, table 1.
    assert 10 * np.log10(itu468_weighting_power(np.array([float(hz)]))[0]) == pytest.approx(
        db, abs=0.12
    )


def test_a_tone_is_weighted_by_each_curve():
    found = read_quiet(sine(6300.0, -40.0, 8.0) + noise(1e-6, 8.0), rate_hz=RATE)
    assert found.rms_dbfs == pytest.approx(-40.0, abs=0.05)
    assert found.a_weighted_dbfs == pytest.approx(-40.1, abs=0.1)
    assert found.itu468_dbfs == pytest.approx(-27.8, abs=0.1)
