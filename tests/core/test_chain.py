import numpy as np
import pytest
import scipy.signal
from hypothesis import given, settings
from hypothesis import strategies as st

from obsidian_wren.core.chain.engine import VoiceChain
from obsidian_wren.core.chain.equalizer import EqualizerSpec
from obsidian_wren.core.chain.filters import (
    EqualizerBand,
    band_section,
    highpass_sections,
    response_db,
)
from obsidian_wren.core.chain.gain import GainSpec
from obsidian_wren.core.chain.highpass import HighpassSpec
from obsidian_wren.core.chain.limiter import LimiterSpec
from obsidian_wren.core.chain.offline import render
from obsidian_wren.core.measure.levels import true_peak_dbtp
from signals import RATE, noise, sine, voice

BANDS = (
    EqualizerBand("low_shelf", 140.0, 3.0, 0.7),
    EqualizerBand("peak", 310.0, -4.2, 1.3),
    EqualizerBand("peak", 3400.0, 2.0, 0.8),
    EqualizerBand("high_shelf", 9000.0, -3.0, 0.6),
)
CHAIN = (HighpassSpec(80.0, 3), EqualizerSpec(BANDS), GainSpec(9.0), LimiterSpec(-3.0, 100.0))


@pytest.mark.parametrize("rate", [44_100, 48_000, 96_000])
def test_linear_chain_has_the_response_of_its_filters(rate):
    """The engine's own impulse response against scipy.signal.freqz on Butterworth and cookbook
    coefficients."""
    impulse = np.zeros(1 << 16)
    impulse[0] = 1.0
    out = render(CHAIN[:3], impulse, rate_hz=rate)
    hz = np.geomspace(20, 0.45 * rate, 120)
    measured = scipy.signal.freqz(out, worN=hz, fs=rate)[1]
    expected = scipy.signal.sosfreqz(
        scipy.signal.butter(3, 80.0, "highpass", fs=rate, output="sos"), worN=hz, fs=rate
    )[1]
    for band in BANDS:
        row = band_section(band, rate_hz=rate)
        expected = expected * scipy.signal.freqz(row[:3], row[3:], worN=hz, fs=rate)[1]
    expected = expected * 10 ** (9.0 / 20)
    assert 20 * np.log10(np.abs(measured)) == pytest.approx(
        20 * np.log10(np.abs(expected)), abs=0.01
    )


@pytest.mark.parametrize(
    "shape, at_dc, at_nyquist", [("peak", 0, 0), ("low_shelf", 6, 0), ("high_shelf", 0, 6)]
)
def test_cookbook_shapes_do_what_their_names_say(shape, at_dc, at_nyquist):
    row = band_section(EqualizerBand(shape, 1000.0, 6.0, 0.707), rate_hz=RATE)[None, :]
    low, middle, high = response_db(row, np.array([1.0, 1000.0, 23_990.0]), rate_hz=RATE)
    assert low == pytest.approx(at_dc, abs=0.05)
    assert high == pytest.approx(at_nyquist, abs=0.05)
    assert middle == pytest.approx(6.0 if shape == "peak" else 3.0, abs=0.01)


@pytest.mark.parametrize("order", [1, 2, 3, 4])
def test_highpass_is_butterworth(order):
    hz = np.array([20.0, 40.0, 80.0, 160.0, 1000.0])
    ours = response_db(highpass_sections(80.0, order=order, rate_hz=RATE), hz, rate_hz=RATE)
    theirs = scipy.signal.sosfreqz(
        scipy.signal.butter(order, 80.0, "highpass", fs=RATE, output="sos"), worN=hz, fs=RATE
    )[1]
    assert ours == pytest.approx(20 * np.log10(np.abs(theirs)), abs=0.001)


@settings(max_examples=15, deadline=None)
@given(st.lists(st.integers(1, 8192), min_size=3, max_size=12), st.integers(0, 1000))
def test_any_block_size_gives_the_same_output(sizes, seed):
    sound = noise(0.2, 0.8, seed=seed)
    whole = VoiceChain(CHAIN, RATE).process(sound)
    chain, at, pieces = VoiceChain(CHAIN, RATE), 0, []
    while at < len(sound):
        size = sizes[len(pieces) % len(sizes)]
        pieces.append(chain.process(sound[at : at + size]))
        at += size
    assert np.abs(np.concatenate(pieces) - whole).max() <= 1e-9


LOUD = {
    "voice": voice() * 8,
    "square": 3.0 * np.sign(sine(997, 0.0, 2.0)),
    "quarter of the rate": 3.0 * sine(12_000, 0.0, 2.0, phase=np.pi / 4),
    "high sine": 3.0 * sine(19_000, 0.0, 2.0),
    "noise": noise(0.8, 2.0),
    "lone clicks": np.where(np.arange(2 * RATE) % 4801 == 0, 5.0, 0.0),
}


@pytest.mark.parametrize("name", LOUD)
@pytest.mark.parametrize("ceiling", [-1.0, -3.0, -9.0])
def test_the_ceiling_holds_between_samples(name, ceiling):
    out = render([LimiterSpec(ceiling, 100.0)], LOUD[name], rate_hz=RATE)
    assert true_peak_dbtp(out) <= ceiling


def test_the_limiter_leaves_quiet_sound_alone_and_lines_it_up():
    sound = noise(0.02, 1.0)
    out = render([LimiterSpec(-3.0, 100.0)], sound, rate_hz=RATE)
    assert np.array_equal(out, sound)


def test_delay_is_within_three_milliseconds_and_as_reported():
    chain = VoiceChain((LimiterSpec(-3.0, 100.0),), RATE)
    impulse = np.zeros(1000)
    impulse[100] = 0.1
    assert int(np.argmax(chain.process(impulse))) == 100 + chain.delay_samples
    assert chain.delay_samples <= 0.003 * RATE


def test_a_stage_that_is_off_is_passed_over():
    sound = noise(0.02, 0.5)
    off = (
        HighpassSpec(80.0, 3, on=False),
        EqualizerSpec(BANDS, on=False),
        GainSpec(6.0),
        LimiterSpec(-3.0, 100.0, on=False),
    )
    assert render(off, sound, rate_hz=RATE) == pytest.approx(sound * 10 ** (6 / 20))


def test_only_finite_samples_leave():
    chain = VoiceChain(CHAIN, RATE)
    sound = noise(0.1, 0.1)
    sound[[5, 900]] = np.nan, np.inf
    assert np.isfinite(chain.process(sound)).all()
    assert np.isfinite(chain.process(noise(0.1, 0.1))).all()
