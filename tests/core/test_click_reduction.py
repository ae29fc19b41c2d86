"""Keys and clicks taken out of a voice."""

import numpy as np
import pytest
import scipy.signal

from obsidian_wren.core.chain.clicks import ClicksSpec, bursts_of
from obsidian_wren.core.chain.offline import render
from signals import RATE, noise, voice

TIMES_S = np.arange(0.4, 19.0, 0.37)
KEYS = ClicksSpec(5.0, -10.0, 40.0)


def keys(seconds, peak):
    """Short bursts of 1 to 7 kHz that die away with 2.5 ms."""
    wave = np.zeros(round(seconds * RATE))
    length = round(0.012 * RATE)
    fall = np.exp(-np.arange(length) / (0.0025 * RATE))
    band = scipy.signal.butter(2, (1000.0, 7000.0), "bandpass", fs=RATE, output="sos")
    drawn = np.random.default_rng(8)
    for at in TIMES_S:
        burst = scipy.signal.sosfilt(band, drawn.standard_normal(length)) * fall
        first = round(at * RATE)
        wave[first : first + length] += burst * peak / np.abs(burst).max()
    return wave


@pytest.fixture(scope="module")
def said():
    found = voice("passage")[: 19 * RATE] + noise(1e-4, 19.0)
    return found * 0.05 / np.std(found)


def far(one, other):
    return 10 * np.log10(np.mean((one - other) ** 2) / np.mean(other**2))


def test_keys_go_where_the_voice_pauses_and_under_it(said):
    struck = said + keys(19.0, 0.15)
    left = render([KEYS], struck, rate_hz=RATE)
    assert far(left, said) < far(struck, said) - 6.0
    silent = noise(1e-4, 19.0)
    alone = render([KEYS], silent + keys(19.0, 0.15), rate_hz=RATE)
    assert far(alone, silent) < far(silent + keys(19.0, 0.15), silent) - 20.0


def test_a_voice_without_keys_stays_whole(said):
    assert far(render([KEYS], said, rate_hz=RATE), said) < -30.0


def test_what_is_louder_than_a_key_is_left_alone(said):
    struck = said + keys(19.0, 0.15)
    # The keys reach about -32 dBFS over 3.5 ms in this band.
    deaf = ClicksSpec(5.0, -60.0, 40.0)
    assert far(render([deaf], struck, rate_hz=RATE), struck) < -45.0


def test_bursts_are_told_where_they_are():
    stands, levels, step_s = bursts_of(noise(1e-4, 19.0) + keys(19.0, 0.15), rate_hz=RATE)
    at = np.round(TIMES_S / step_s).astype(int)
    near = np.array([stands[a - 4 : a + 8].max() for a in at])
    assert (near > 10.0).all()
    away = np.ones(len(stands), dtype=bool)
    for a in at:
        away[a - 10 : a + 24] = False
    assert np.percentile(stands[away], 99.9) < 5.0
    assert levels[away].max() < levels[at].max() - 20.0
