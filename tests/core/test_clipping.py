"""Clipping of every kind."""

import numpy as np
import pytest

from obsidian_wren.core.measure import clipping
from obsidian_wren.core.measure.readings import read_talk
from signals import RATE, noise, sine, voice


def as_24_bit(sound):
    return np.round(sound * 2**23) / 2**23


@pytest.mark.parametrize("slider_db", [0.0, -4.0, -11.3])
def test_flat_tops_under_full_scale_are_found_at_their_level(slider_db):
    clipped = as_24_bit(np.clip(1.6 * voice(peak=0.9), -1.0, 1.0 - 2**-23))
    found = clipping.flat_tops(as_24_bit(clipped * 10 ** (slider_db / 20)))
    assert found.count > 50
    assert found.level_dbfs == pytest.approx(slider_db, abs=0.05)


def test_flat_tops_survive_sixteen_bits_with_dither_and_a_noisy_converter():
    cut = np.clip(1.6 * voice(peak=0.9), -0.63, 0.63)
    rng = np.random.default_rng(0)
    dithered = np.round(cut * 2**15 + rng.random(len(cut)) - rng.random(len(cut))) / 2**15
    assert clipping.flat_tops(dithered).level_dbfs == pytest.approx(-4.0, abs=0.05)
    behind_noise = clipping.flat_tops(cut + noise(3e-6, 45.0)[: len(cut)])
    assert behind_noise.count > 50
    assert behind_noise.level_dbfs == pytest.approx(-4.0, abs=0.05)


def test_one_side_cut_is_told_from_both():
    found = clipping.flat_tops(np.minimum(voice(peak=0.9), 0.4))
    assert found.upper_dbfs == pytest.approx(20 * np.log10(0.4), abs=0.01)
    assert found.lower_dbfs is None


@pytest.mark.parametrize("drive", [0.5, 1.0, 2.0, 4.0])
@pytest.mark.parametrize("part", ["talk", "loud", "soft"])
def test_an_honest_square_ish_voice_is_not_accused_of_flat_tops(part, drive):
    squarish = np.tanh(drive * voice(part) / 0.25) * 0.6
    assert clipping.flat_tops(as_24_bit(squarish)).count == 0
    assert clipping.flat_tops(np.round(squarish * 127) / 127).count == 0


@pytest.mark.parametrize("part", ["talk", "loud", "soft", "passage"])
def test_soft_clipping_is_told_from_a_voice_that_is_square_at_all_levels(part):
    clean = voice(part)
    assert clipping.soft_clipping(clean, rate_hz=RATE) is None
    assert clipping.soft_clipping(np.sign(clean) * np.abs(clean) ** 0.6, rate_hz=RATE) is None
    found = clipping.soft_clipping(0.1 * np.tanh(3.0 * clean / 0.25), rate_hz=RATE)
    assert found.crest_loss_db > 1.7


def test_a_cubic_stage_is_told_by_its_third_harmonic():
    """One tone that swells, as someone who whistles: a straight stage adds nothing, a cubic one
    grows by 3 dB for each."""
    swell = sine(440.0, 0.0, 12.0) * 10 ** (np.linspace(-40.0, -6.0, 12 * RATE) / 20)
    bent = swell - 0.3 * swell**3 + noise(1e-6, 12.0)
    assert clipping.soft_clipping(bent, rate_hz=RATE).third_harmonic_slope == pytest.approx(
        3.0, abs=0.3
    )
    assert clipping.soft_clipping(swell + noise(1e-6, 12.0), rate_hz=RATE) is None


def talk(peak_dbfs, part="talk", quiet=None):
    return read_talk(
        voice(part, peak=10 ** (peak_dbfs / 20)) + noise(2e-5, len(voice(part)) / RATE),
        rate_hz=RATE,
        quiet=quiet,
    )
