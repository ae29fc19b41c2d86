"""The deeper readings of a room: weightings, drift, combs, prominence, clicks, gaps, grid, channels, trend, profile."""

import numpy as np
import pytest
import scipy.signal

from obsidian_wren.core.measure import clicks, hum, integrity, levels
from obsidian_wren.core.measure.live import BlockMeter
from obsidian_wren.core.measure.noise_profile import noise_profile
from obsidian_wren.core.measure.readings import read_quiet
from obsidian_wren.core.measure.weighting import itu468_weighting_power
from signals import RATE, noise, sine


@pytest.mark.parametrize(
    "hz, db",
    [(31.5, -29.9), (100, -19.8), (400, -7.8), (1000, 0), (3150, 9.0), (6300, 12.2), (10_000, 8.1), (16_000, -11.7), (20_000, -22.2)],
)
def test_the_468_network_is_that_of_the_standard(hz, db):
    # ITU-R BS.468-4, table 1.
    assert 10 * np.log10(itu468_weighting_power(np.array([float(hz)]))[0]) == pytest.approx(db, abs=0.12)


def test_a_tone_is_weighted_by_each_curve():
    found = read_quiet(sine(6300.0, -40.0, 8.0) + noise(1e-6, 8.0), rate_hz=RATE)
    assert found.rms_dbfs == pytest.approx(-40.0, abs=0.05)
    assert found.a_weighted_dbfs == pytest.approx(-40.1, abs=0.1)
    assert found.itu468_dbfs == pytest.approx(-27.8, abs=0.1)


@pytest.mark.parametrize("start, end", [(49.9, 50.1), (59.85, 60.1), (50.05, 49.97)])
def test_hum_that_wanders_keeps_its_level(start, end):
    at = np.arange(15 * RATE) / RATE
    phase = 2 * np.pi * np.cumsum(start + (end - start) * at / 15.0) / RATE
    lines = [-70.0, -62.0, -75.0, -70.0, -80.0, -80.0, -85.0, -80.0]
    family = sum(10 ** (level / 20) * np.sin((k + 1) * phase + k) for k, level in enumerate(lines))
    found = read_quiet(noise(1e-4, 15.0) + family, rate_hz=RATE).hum
    assert found.mains_hz == pytest.approx((start + end) / 2, abs=0.02)
    assert found.level_dbfs == pytest.approx(10 * np.log10(sum(10 ** (level / 10) for level in lines)), abs=0.1)
    assert found.drift_hz == pytest.approx(abs(end - start), abs=0.04)
    assert [h.level_dbfs for h in found.harmonics] == pytest.approx(lines, abs=0.3)


def comb(spacing, lines, level_dbfs, seconds=15.0, seed=0):
    rng = np.random.default_rng(seed)
    return sum(sine(spacing * (k + 1), level_dbfs, seconds, phase=rng.uniform(0, 6.28)) for k in range(lines))


@pytest.mark.parametrize("spacing, lines", [(217.0, 40), (1000.0, 14), (266.7, 30), (8000.0 / 3, 5)])
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
    for sound in (noise(1e-3, 15.0, seed=seed + 40), brown, brown + sine(997.0, -60.0, 15.0) + sine(3100.0, -62.0, 15.0)):
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
    found = read_quiet(sine(31.0, -50.0, 12.0) + sine(120.0, -40.0, 12.0) + noise(1e-6, 12.0), rate_hz=RATE)
    assert found.rumble_dbfs == pytest.approx(-50.0, abs=0.1)


@pytest.mark.parametrize("per_minute", [0.0, 6.0, -9.0])
def test_a_level_that_wanders_is_told_with_its_error(per_minute):
    at = np.arange(20 * RATE) / RATE
    sound = noise(1e-3, 20.0) * 10 ** (per_minute * at / 60.0 / 20.0)
    found = levels.level_trend(levels.frame_levels_dbfs(sound, rate_hz=RATE, frame_s=0.5), stretch_s=0.5)
    assert found.db_per_minute == pytest.approx(per_minute, abs=4 * found.error_db_per_minute + 0.01)
    assert found.error_db_per_minute < 0.3
    assert levels.level_trend(np.zeros(2), stretch_s=0.5).error_db_per_minute == np.inf


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
    assert integrity.compare_channels(np.column_stack([voice, np.zeros(len(voice))])).verdict == "one"
    assert integrity.compare_channels(np.column_stack([voice, 0.5 * voice])).verdict == "same"
    assert integrity.compare_channels(np.column_stack([voice, -voice])).verdict == "inverted"
    found = integrity.compare_channels(np.column_stack([1e-3 * other, voice]))
    assert (found.verdict, found.loudest) == ("different", 2)


def test_the_noise_profile_holds_spectrum_and_spread():
    found = noise_profile(noise(1e-3, 15.0), rate_hz=RATE)
    assert 10 * np.log10(np.sum(10 ** (found.mean_db / 10))) == pytest.approx(-60.0, abs=0.1)
    # The level of an exponentially spread power has a standard deviation of 5.57 dB.
    assert np.median(found.spread_db[5:-5]) == pytest.approx(5.57, abs=0.15)
    swelling = noise(1e-3, 15.0) * (1.0 + 0.9 * np.sin(2 * np.pi * 0.4 * np.arange(15 * RATE) / RATE))
    assert np.median(noise_profile(swelling, rate_hz=RATE).spread_db) > 6.5
    assert noise_profile(noise(1e-3, 0.3), rate_hz=RATE) is None


def test_the_live_meter_agrees_with_the_take_and_follows_a_change():
    meter = BlockMeter(RATE)
    sound = noise(1e-3, 4.0) + sine(1000.0, -50.0, 4.0)
    frames = [frame for k in range(0, len(sound), 700) for frame in meter.add(sound[k : k + 700])]
    assert len(frames) == 80
    reading = read_quiet(sound, rate_hz=RATE)
    assert frames[-1].a_weighted_dbfs == pytest.approx(reading.a_weighted_dbfs, abs=0.5)
    at = frames[-1].bands_hz.index(1000.0)
    assert frames[-1].bands_dbfs[at] == pytest.approx(-49.6, abs=0.6)
    assert len(frames[-1].short_dbfs) == 5
    quieter = [frame for k in range(0, len(sound), 700) for frame in meter.add(0.1 * sound[k : k + 700])]
    assert quieter[-1].a_weighted_dbfs == pytest.approx(reading.a_weighted_dbfs - 20.0, abs=0.7)
    assert meter.add(np.full(2400, 0.999))[0].clipped == 2400
