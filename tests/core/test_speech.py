import numpy as np
import pytest

from obsidian_wren.core.measure import speech
from obsidian_wren.core.measure.levels import rms_dbfs
from signals import RATE, noise, sine, voice


def gated(on_s: float, off_s: float, times: int) -> np.ndarray:
    burst = noise(0.05, on_s)
    return np.concatenate(
        [np.concatenate([burst, np.zeros(round(off_s * RATE))]) for _ in range(times)]
    )


def test_active_level_of_steady_noise_is_its_rms():
    sound = noise(0.05, 10.0)
    found = speech.active_level(sound, rate_hz=RATE)
    assert found.level_dbfs == pytest.approx(rms_dbfs(sound), abs=0.05)
    assert found.activity == pytest.approx(1.0, abs=0.02)


@pytest.mark.parametrize("off_s", [1.0, 4.0, 8.0])
def test_active_level_of_gated_noise(off_s):
    """P.56 counts each burst and its hangover of 200 ms, so the level lies 10·lg(8.2/8) under
    the burst's."""
    found = speech.active_level(gated(8.0, off_s, 3), rate_hz=RATE)
    assert found.level_dbfs == pytest.approx(rms_dbfs(noise(0.05, 8.0)) - 0.11, abs=0.1)
    assert found.activity == pytest.approx(8.2 / (8.0 + off_s), abs=0.03)


@pytest.mark.parametrize("gain_db", [-30, -7.3, 5])
def test_active_level_follows_gain(gain_db):
    base = speech.active_level(voice(), rate_hz=RATE).level_dbfs
    assert speech.active_level(
        voice() * 10 ** (gain_db / 20), rate_hz=RATE
    ).level_dbfs == pytest.approx(base + gain_db, abs=0.1)


@pytest.mark.parametrize("fundamental", [85.0, 130.0, 210.0, 330.0])
def test_pitch_of_a_known_glide(fundamental):
    """A pulse-like tone whose pitch sways by 10 % around a known middle, in phrases with pauses."""
    at = np.arange(6 * RATE) / RATE
    phase = 2 * np.pi * np.cumsum(fundamental * (1 + 0.1 * np.sin(2 * np.pi * 0.7 * at))) / RATE
    wave = sum(np.sin(k * phase) / k for k in range(1, 12)) * (np.sin(2 * np.pi * 0.5 * at) > -0.3)
    found = speech.find_voice(0.05 * wave + noise(1e-4, 6.0), rate_hz=RATE)
    pitch = found.pitch()
    assert pitch is not None
    assert pitch.p50 == pytest.approx(fundamental, rel=0.04)
    assert pitch.p5 == pytest.approx(fundamental * 0.9, rel=0.05)
    assert speech.has_melody(found)


@pytest.mark.parametrize(
    "sound",
    [
        noise(0.01, 10.0),
        sine(100, -30, 10.0) + sine(200, -36, 10.0) + noise(1e-4, 10.0),
        np.zeros(10 * RATE),
    ],
    ids=["noise", "hum", "silence"],
)
def test_no_voice_where_nobody_talks(sound):
    assert not speech.has_melody(speech.find_voice(sound, rate_hz=RATE))


def test_the_talker_is_found_at_odd_rates():
    for rate in (16_000, 44_100, 96_000):
        assert speech.has_melody(speech.find_voice(voice(rate_hz=rate), rate_hz=rate))
