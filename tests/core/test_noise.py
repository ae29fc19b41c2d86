import numpy as np
import pytest
import scipy.signal

from obsidian_wren.core.measure import clicks, hum
from obsidian_wren.core.measure.readings import read_quiet
from signals import RATE, noise, sine


def family(mains: float, levels: list[float], seconds: float = 15.0) -> np.ndarray:
    return sum(sine(mains * (k + 1), level, seconds, phase=k) for k, level in enumerate(levels))


@pytest.mark.parametrize("mains", [49.92, 50.0, 50.07, 59.9, 60.0])
def test_hum_found_with_its_level(mains):
    sound = noise(1e-4, 15.0) + family(mains, [-70.0, -62.0, -75.0])
    found = read_quiet(sound, rate_hz=RATE).hum
    assert found is not None
    assert found.mains_hz == pytest.approx(mains, abs=0.02)
    truth = 10 * np.log10(sum(10 ** (level / 10) for level in (-70.0, -62.0, -75.0)))
    assert found.level_dbfs == pytest.approx(truth, abs=0.1)
    assert [h.level_dbfs for h in found.harmonics] == pytest.approx([-70.0, -62.0, -75.0], abs=0.4)


@pytest.mark.parametrize("seed", range(12))
def test_hum_is_not_invented(seed):
    white = noise(1e-3, 15.0, seed=seed)
    brown = scipy.signal.lfilter([0.01], [1.0, -0.99], noise(1e-2, 15.0, seed=seed + 100))
    for sound in (white, brown):
        assert read_quiet(sound, rate_hz=RATE).hum is None


def test_one_tone_at_a_harmonic_is_a_tone_and_no_hum():
    found = read_quiet(noise(1e-4, 15.0) + sine(1250.0, -70.0, 15.0), rate_hz=RATE)
    assert found.hum is None
    assert [tone.hz for tone in found.tones] == [pytest.approx(1250.0, abs=0.5)]
    assert found.tones[0].level_dbfs == pytest.approx(-70.0, abs=0.2)


def test_a_tone_in_strong_noise_is_not_prominent():
    assert read_quiet(noise(1e-2, 15.0) + sine(3000.0, -70.0, 15.0), rate_hz=RATE).tones == ()


@pytest.mark.parametrize("count", [0, 1, 17])
def test_clicks_are_counted(count):
    sound = noise(1e-4, 15.0)
    for k in range(count):
        at = round((0.5 + k * 0.8) * RATE)
        sound[at : at + 60] += 0.1 * np.hanning(60) * np.cos(np.arange(60) * 1.3)
    found = clicks.find_transients(sound, rate_hz=RATE)
    assert found.count == count
    assert found.per_minute == pytest.approx(4 * count)
    if count:
        assert found.peak_dbfs == pytest.approx(-20.0, abs=0.3)
    else:
        assert found.peak_dbfs is None


def test_quiet_reading_of_known_noise():
    found = read_quiet(noise(0.001, 15.0), rate_hz=RATE)
    assert found.rms_dbfs == pytest.approx(-56.99, abs=0.01)
    assert found.spread_db < 0.3
    assert found.flat_tops.count == 0
    assert hum.critical_bandwidth_hz(1000.0) == pytest.approx(162.2, abs=0.5)
