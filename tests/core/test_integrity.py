"""Gaps, bits and channels."""

import numpy as np
import pytest

from obsidian_wren.core.measure import integrity
from obsidian_wren.core.measure.readings import read_quiet, read_talk
from signals import RATE, noise, sine, voice


@pytest.mark.parametrize("count, milliseconds", [(0, 10), (1, 2), (7, 10), (20, 30)])
def test_gaps_are_counted_and_timed(count, milliseconds):
    sound = noise(1e-4, 15.0)
    length = round(milliseconds / 1000 * RATE)
    for k in range(count):
        at = round((0.3 + 0.7 * k) * RATE)
        sound[at : at + length] = 0.0 if k % 2 else sound[at]
    found = integrity.find_dropouts(sound, rate_hz=RATE)
    assert found.count == count
    assert found.total_s == pytest.approx(count * milliseconds / 1000, abs=0.001)


def quantised(sound, bits, seed=0):
    rng = np.random.default_rng(seed)
    step = 2.0 ** (1 - bits)
    return np.round(sound / step + rng.random(len(sound)) - rng.random(len(sound))) * step


@pytest.mark.parametrize("bits", [8, 12, 16, 20, 24])
def test_the_grid_tells_the_bits_also_behind_a_level_control(bits):
    sound = quantised(noise(2e-3, 10.0), bits)
    assert integrity.grid_bits(sound) == bits
    turned_down = np.round(sound * 10 ** (-3.7 / 20) * 2**23) / 2**23
    assert integrity.grid_bits(turned_down) == bits


def test_a_wave_that_repeats_itself_sits_on_no_grid_and_a_coarse_grid_has_no_gaps():
    assert integrity.grid_bits(sine(200.0, -6.0, 2.0)) == 24
    assert integrity.find_dropouts(quantised(noise(2e-3, 10.0), 8), rate_hz=RATE).count == 0
    assert integrity.grid_bits(np.zeros(1000)) is None
    assert integrity.effective_bits(-98.08) == pytest.approx(16.0, abs=0.01)


def test_channels_say_what_they_are_to_each_other():
    voice, other = noise(0.01, 3.0), noise(0.01, 3.0, seed=4)
    assert integrity.compare_channels(voice).verdict == "one"
    assert (
        integrity.compare_channels(np.column_stack([voice, np.zeros(len(voice))])).verdict == "one"
    )
    assert integrity.compare_channels(np.column_stack([voice, 0.5 * voice])).verdict == "same"
    assert integrity.compare_channels(np.column_stack([voice, -voice])).verdict == "inverted"
    found = integrity.compare_channels(np.column_stack([1e-3 * other, voice]))
    assert (found.verdict, found.loudest) == ("different", 2)


@pytest.mark.parametrize("offset", [0.005, -0.02, 0.1])
def test_an_offset_is_told_and_counts_in_no_level(offset):
    rest, talk = noise(2e-4, 12.0), voice() + noise(2e-4, len(voice()) / RATE)
    clean, moved = (read_quiet(sound, rate_hz=RATE) for sound in (rest, rest + offset))
    said = read_talk(talk, rate_hz=RATE, quiet=clean)
    heard = read_talk(talk + offset, rate_hz=RATE, quiet=moved)
    assert moved.dc_offset == pytest.approx(offset, rel=0.01)
    assert moved.rms_dbfs == pytest.approx(clean.rms_dbfs, abs=0.05)
    assert heard.snr_db == pytest.approx(said.snr_db, abs=0.2)
    assert heard.activity == pytest.approx(said.activity, abs=0.01)
    assert heard.peak_dbfs == pytest.approx(said.peak_dbfs, abs=0.2)
