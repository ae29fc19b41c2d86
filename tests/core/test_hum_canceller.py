"""The hum canceller, and when it is asked for."""

import numpy as np
import pytest

from obsidian_wren.core.chain.hum import HumSpec
from obsidian_wren.core.chain.offline import render
from signals import RATE, noise, voice

AMPLITUDES = (1.0, 0.7, 0.5, 0.3, 0.3, 0.2, 0.15, 0.1)


def hum(seconds, *, wander_hz=0.0, period_s=20.0, level_db=-40.0):
    """Eight lines of a mains that wanders, ``level_db`` re full scale together."""
    at = np.arange(round(seconds * RATE)) / RATE
    mains = 50.0 + wander_hz * np.sin(2 * np.pi * at / period_s)
    phase = 2 * np.pi * np.cumsum(mains) / RATE
    drawn = np.random.default_rng(3).uniform(0, 2 * np.pi, len(AMPLITUDES))
    lines = zip(AMPLITUDES, drawn, strict=True)
    wave = sum(a * np.sin((k + 1) * phase + p) for k, (a, p) in enumerate(lines))
    return wave * 10 ** (level_db / 20) / np.std(wave)


def spec(level_db=-40.0, mains_hz=50.01):
    size = 10 ** (level_db / 20) / np.sqrt(np.sum(np.square(AMPLITUDES)) / 2)
    rows = tuple((k + 1, 20 * np.log10(a * size), -90.0) for k, a in enumerate(AMPLITUDES))
    return HumSpec(mains_hz, 2.0, rows)


def db(sound):
    return 10 * np.log10(np.mean(sound**2))


@pytest.mark.parametrize("wander_hz", [0.0, 0.02])
@pytest.mark.parametrize("talks", [False, True])
def test_hum_is_followed_where_the_mains_wanders_and_under_a_voice(wander_hz, talks):
    there = hum(30.0, wander_hz=wander_hz)
    beside = noise(1e-3, 30.0)
    if talks:
        said = voice("passage")[: len(there)]
        beside[: len(said)] += said * 10 ** (-30 / 20) / np.std(said)
    left = render([spec()], there + beside, rate_hz=RATE) - beside
    assert db(left[6 * RATE :]) - db(there[6 * RATE :]) < -25.0


def test_a_voice_without_hum_stays_whole():
    said = voice("passage")[: 20 * RATE]
    said = said * 10 ** (-30 / 20) / np.std(said)
    assert db(render([spec()], said, rate_hz=RATE) - said) - db(said) < -35.0
    nothing = HumSpec(50.0, 2.0, ())
    assert np.array_equal(render([nothing], said, rate_hz=RATE), said)


def test_lines_under_the_noise_of_the_room_are_learned_too():
    """Most lines lie under the noise in 30 Hz around them, by up to 18 dB."""
    there, beside = hum(60.0, level_db=-60.0), noise(10 ** (-36 / 20), 60.0)
    rows = tuple((number, level, -62.0) for number, level, _ in spec(-60.0).lines)
    left = render([HumSpec(50.0, 2.0, rows)], there + beside, rate_hz=RATE) - beside
    assert db(left[10 * RATE :]) - db(there) < -10.0
    loud = tuple((number, level, -90.0) for number, level, _ in rows)
    as_a_voice = render([HumSpec(50.0, 2.0, loud)], there + beside, rate_hz=RATE) - beside
    assert db(left[10 * RATE :]) < db(as_a_voice[10 * RATE :]) - 3.0
