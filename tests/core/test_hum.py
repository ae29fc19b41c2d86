"""Mains hum, buzz and steady tones."""

import numpy as np
import pytest
import scipy.signal

from obsidian_wren.core.measure import hum
from obsidian_wren.core.measure.readings import read_quiet
from signals import RATE, noise, sine


@pytest.mark.parametrize("start, end", [(49.9, 50.1), (59.85, 60.1), (50.05, 49.97)])
def test_hum_that_wanders_keeps_its_level(start, end):
    at = np.arange(15 * RATE) / RATE
    phase = 2 * np.pi * np.cumsum(start + (end - start) * at / 15.0) / RATE
    lines = [-70.0, -62.0, -75.0, -70.0, -80.0, -80.0, -85.0, -80.0]
    family = sum(10 ** (level / 20) * np.sin((k + 1) * phase + k) for k, level in enumerate(lines))
    found = read_quiet(noise(1e-4, 15.0) + family, rate_hz=RATE).hum
    assert found.mains_hz == pytest.approx((start + end) / 2, abs=0.02)
    assert found.level_dbfs == pytest.approx(
        10 * np.log10(sum(10 ** (level / 10) for level in lines)), abs=0.1
    )
    assert found.drift_hz == pytest.approx(abs(end - start), abs=0.04)
    assert [h.level_dbfs for h in found.harmonics] == pytest.approx(lines, abs=0.3)


def comb(spacing, lines, level_dbfs, seconds=15.0, seed=0):
    rng = np.random.default_rng(seed)
    return sum(
        sine(spacing * (k + 1), level_dbfs, seconds, phase=rng.uniform(0, 6.28))
        for k in range(lines)
    )


@pytest.mark.parametrize(
    "spacing, lines", [(217.0, 40), (1000.0, 14), (266.7, 30), (8000.0 / 3, 5)]
)
def test_combs_of_any_spacing_are_found_with_their_level(spacing, lines):
    found = read_quiet(noise(1e-4, 15.0) + comb(spacing, lines, -88.0), rate_hz=RATE)
    assert len(found.buzz) == 1
    assert found.buzz[0].spacing_hz == pytest.approx(spacing, rel=0.001)
    assert found.buzz[0].lines == lines
    assert found.buzz[0].level_dbfs == pytest.approx(-88.0 + 10 * np.log10(lines), abs=0.2)
    assert not found.buzz[0].mains
    assert found.tones == ()


@pytest.mark.parametrize("mains", [50.0, 60.0])
def test_a_dimmer_is_told_from_hum_by_its_reach(mains):
    found = read_quiet(noise(1e-4, 15.0) + comb(2 * mains, 60, -90.0), rate_hz=RATE)
    assert found.hum.mains_hz == pytest.approx(mains, abs=0.02)
    assert found.buzz[0].mains
    assert found.buzz[0].spacing_hz == pytest.approx(2 * mains, abs=0.05)
    assert found.buzz[0].high_hz > 5000


@pytest.mark.parametrize("seed", range(8))
def test_no_comb_is_invented(seed):
    brown = scipy.signal.lfilter([0.01], [1.0, -0.99], noise(1e-2, 15.0, seed=seed))
    for sound in (
        noise(1e-3, 15.0, seed=seed + 40),
        brown,
        brown + sine(997.0, -60.0, 15.0) + sine(3100.0, -62.0, 15.0),
    ):
        assert read_quiet(sound, rate_hz=RATE).buzz == ()


@pytest.mark.parametrize("hz", [200.0, 500.0, 1500.0, 4000.0])
def test_prominence_begins_at_the_limit_of_the_standard(hz):
    """A tone 3 dB over the limit of ECMA-418-1 is reported, one 3 dB under it is not."""
    limit = hum.prominent_db(hz)
    density_db = 20 * np.log10(1e-3) - 10 * np.log10(RATE / 2)
    band_db = density_db + 10 * np.log10(hum.critical_bandwidth_hz(hz))
    for over, wanted in ((3.0, 1), (-3.0, 0)):
        # A sine of peak level p has the power p − 3 dB.
        sound = noise(1e-3, 15.0, seed=3) + sine(hz, band_db + limit + over + 3.01, 15.0)
        found = read_quiet(sound, rate_hz=RATE).tones
        assert len(found) == wanted
        if wanted:
            assert found[0].prominence_db == pytest.approx(limit + over, abs=0.8)
