import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from obsidian_wren.core.measure import clipping, levels
from signals import RATE, noise, sine


def test_full_scale_sine_reads_zero_by_aes17():
    assert levels.rms_dbfs(sine(997, 0.0, 2.0)) == pytest.approx(0.0, abs=0.001)


def test_white_noise_of_known_rms():
    assert levels.rms_dbfs(noise(0.001, 10.0)) == pytest.approx(-56.99, abs=0.005)


@given(st.floats(-60, 20))
def test_levels_follow_gain(gain_db):
    sound = noise(0.01, 0.2)
    louder = sound * 10 ** (gain_db / 20)
    assert levels.rms_dbfs(louder) - levels.rms_dbfs(sound) == pytest.approx(gain_db, abs=1e-6)
    assert levels.peak_dbfs(louder) - levels.peak_dbfs(sound) == pytest.approx(gain_db, abs=1e-6)
    assert levels.true_peak_dbtp(louder) - levels.true_peak_dbtp(sound) == pytest.approx(
        gain_db, abs=1e-6
    )


def test_percentiles_of_two_levels():
    sound = np.concatenate([sine(1000, -40.0, 3.0), sine(1000, -20.0, 1.0)])
    found = levels.percentiles_dbfs(sound, rate_hz=RATE)
    assert found.p10 == pytest.approx(-40.0, abs=0.05)
    assert found.p50 == pytest.approx(-40.0, abs=0.05)
    assert found.p90 == pytest.approx(-20.0, abs=0.05)


@pytest.mark.parametrize("rate", [44_100, 48_000, 96_000])
@pytest.mark.parametrize("divisor, phase_deg", [(4, 0.0), (4, 45.0), (6, 60.0), (8, 67.5)])
def test_true_peak_between_samples(rate, divisor, phase_deg):
    """EBU Tech 3341 cases 15 to 18: a sine of -6 dBFS peak reads -6 +0.2/-0.4 dBTP whatever its
    phase."""
    sound = sine(rate / divisor, -6.0, 0.5, rate_hz=rate, phase=np.radians(phase_deg))
    fade = np.minimum(1.0, np.minimum(np.arange(len(sound)), np.arange(len(sound))[::-1]) / 2000)
    assert -6.4 <= levels.true_peak_dbtp(sound * fade) <= -5.8


def test_true_peak_finds_a_peak_wherever_it_lies():
    for position in (0, 5, 255, 256, 300, 4000):
        sound = noise(0.001, 0.1, seed=position)
        sound[position] = 0.9
        assert levels.true_peak_dbtp(sound) >= levels.peak_dbfs(sound)


@pytest.mark.parametrize("ceiling_db", [0.0, -6.0, -12.3])
def test_flat_tops_at_any_level(ceiling_db):
    ceiling = 10 ** (ceiling_db / 20)
    clipped = np.clip(sine(220, ceiling_db + 6.0, 2.0), -ceiling, ceiling)
    found = clipping.flat_tops(clipped)
    assert found.level_dbfs == pytest.approx(ceiling_db, abs=0.01)
    # Two flat tops a period.
    assert found.count == pytest.approx(880, abs=4)


@pytest.mark.parametrize("sound", [noise(0.1, 3.0), sine(997, -1.0, 3.0), np.zeros(1000)])
def test_no_flat_tops_in_clean_sound(sound):
    assert clipping.flat_tops(sound).count == 0
