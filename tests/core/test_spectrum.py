import numpy as np
import pytest

from obsidian_wren.core.decibels import rms_level_dbfs
from obsidian_wren.core.measure import spectrum
from obsidian_wren.core.measure.weighting import a_weighting_db
from signals import RATE, noise, sine

# IEC 61672-1, table of A-weighting at nominal frequencies.
A_TABLE = {
    31.5: -39.4,
    63: -26.2,
    125: -16.1,
    250: -8.6,
    500: -3.2,
    1000: 0.0,
    2000: 1.2,
    4000: 1.0,
    8000: -1.1,
    16000: -6.6,
}

# IEC 61260 class 1: relative attenuation of a third octave, least and most, at exponents of G for
# the octave, in the tighter 1995 values. Mapped to third octaves by the standard's own formula.
G = 10**0.3
CLASS_1 = [
    (0, -0.3, 0.3),
    (1 / 8, -0.3, 0.4),
    (1 / 4, -0.3, 0.6),
    (3 / 8, -0.3, 1.3),
    (1 / 2, 2.0, 5.0),
    (1, 17.5, 1e9),
    (2, 42, 1e9),
    (3, 61, 1e9),
]


def third_octave_breakpoint(exponent: float) -> float:
    """Frequency ratio of a third octave where an octave filter has G^exponent (IEC 61260-1,
    equation for other bandwidths)."""
    octave = G**exponent
    return 1 + (G ** (1 / 6) - 1) / (G**0.5 - 1) * (octave - 1)


@pytest.mark.parametrize("nominal", A_TABLE)
def test_a_weighting_at_the_table(nominal):
    exact = spectrum.exact_third_octave_hz(nominal)
    assert float(a_weighting_db(np.array(exact))) == pytest.approx(A_TABLE[nominal], abs=0.06)


@pytest.mark.parametrize("hz", [63.0, 1000.0, 8000.0])
def test_a_weighted_level_of_a_sine(hz):
    found = spectrum.a_weighted_dbfs(
        spectrum.power_spectrum(sine(hz, -20.0, 8.0), rate_hz=RATE, frame_s=1.4)
    )
    assert found == pytest.approx(-20.0 + float(a_weighting_db(np.array(hz))), abs=0.02)


@pytest.mark.parametrize("nominal", [100, 1000, 5000])
@pytest.mark.parametrize("exponent, least, most", CLASS_1)
@pytest.mark.parametrize("below", [False, True])
def test_bands_meet_class_1(nominal, exponent, least, most, below):
    centre = spectrum.exact_third_octave_hz(nominal)
    ratio = third_octave_breakpoint(exponent)
    hz = centre / ratio if below else centre * ratio
    bands = spectrum.third_octaves(
        spectrum.power_spectrum(sine(hz, 0.0, 8.0), rate_hz=RATE, frame_s=1.4)
    )
    level = next(band.level_dbfs for band in bands if band.centre_hz == nominal)
    assert least - 0.05 <= -level <= most + 0.05


def test_white_noise_rises_three_decibels_an_octave():
    bands = spectrum.third_octaves(
        spectrum.power_spectrum(noise(0.01, 30.0), rate_hz=RATE, frame_s=1.4)
    )
    level = {band.centre_hz: band.level_dbfs for band in bands}
    width = G ** (1 / 6) - G ** (-1 / 6)
    for nominal in (500, 1000, 4000, 10000):
        exact = spectrum.exact_third_octave_hz(nominal)
        expected = rms_level_dbfs(1e-4 * exact * width / (RATE / 2))
        # Three standard deviations of an average over 30 s of the band's width.
        spread = 3 * 4.34 / np.sqrt(30.0 * exact * width)
        assert level[nominal] == pytest.approx(expected, abs=0.06 + spread)


def test_frames_can_be_left_out():
    sound = np.concatenate([noise(0.1, 4.0), np.zeros(4 * RATE)])
    starts, length = spectrum.frame_starts(sound, rate_hz=RATE, frame_s=0.17)
    loud = (starts + length < 4 * RATE).astype(float)
    found = spectrum.power_spectrum(sound, rate_hz=RATE, frame_s=0.17, frames_wanted=loud)
    assert rms_level_dbfs(found.mean_square.sum()) == pytest.approx(rms_level_dbfs(0.01), abs=0.05)
