"""A voice as a phone recorded it: as it was, or worked on by the phone."""

import numpy as np
import pytest
import scipy.signal as ss

from obsidian_wren.core.measure.faults import BadTake
from obsidian_wren.core.measure.levels import frame_levels_dbfs
from obsidian_wren.core.measure.phone import require_unprocessed
from obsidian_wren.core.measure.readings import read_talk
from signals import RATE, room, voice


@pytest.fixture(scope="module")
def passage():
    """Words of different loudness, with pauses between them."""
    said = voice("passage")[: 24 * RATE]
    rng = np.random.default_rng(3)
    parts = [
        part
        for second in range(0, 24, 2)
        for part in (
            said[second * RATE : (second + 2) * RATE] * 10.0 ** (rng.normal(0.0, 3.0) / 20.0),
            np.zeros(round(0.7 * RATE)),
        )
    ]
    return np.concatenate(parts)


def by_phone(sound, level=2e-4):
    return sound + room(level, len(sound) / RATE, seed=5)[: len(sound)]


def rides(sound, ratio, release_s):
    levels = frame_levels_dbfs(sound, rate_hz=RATE, frame_s=0.01)
    gains, follows = [], levels[0]
    for level in levels:
        time_s = 0.03 if level > follows else release_s
        follows += (level - follows) * (1.0 - np.exp(-0.01 / time_s))
        gains.append(float(np.clip((-25.0 - follows) * (1.0 - 1.0 / ratio), -25.0, 15.0)))
    gains = np.repeat(gains, round(0.01 * RATE))
    return sound[: len(gains)] * 10.0 ** (gains / 20.0)


def gated(sound):
    levels = frame_levels_dbfs(sound, rate_hz=RATE, frame_s=0.01)
    opened = np.convolve(levels > -48.0, np.ones(16), "full")[: len(levels)] > 0
    gains = np.repeat(np.where(opened, 1.0, 0.01), round(0.01 * RATE))
    return sound[: len(gains)] * np.convolve(gains, np.ones(480) / 480, "same")


def refusal(sound, passage):
    try:
        require_unprocessed(sound, read_talk(sound, rate_hz=RATE), passage)
    except BadTake as error:
        return error.code
    return None


def test_a_voice_as_it_was_is_taken_whatever_the_phone_adds_to_its_colour(passage):
    colour = ss.butter(1, [200.0, 6000.0], "bandpass", fs=RATE, output="sos")
    plain = by_phone(passage)
    assert refusal(0.3 * plain, passage) is None
    assert refusal(ss.sosfilt(colour, plain), passage) is None
    assert refusal(by_phone(passage, 1e-3), passage) is None
    assert refusal(plain, None) is None


@pytest.mark.parametrize("end_hz", [3400.0, 6500.0])
def test_a_band_that_ends_early_is_refused(passage, end_hz):
    cut = ss.sosfiltfilt(ss.cheby2(10, 50, end_hz, fs=RATE, output="sos"), by_phone(passage))
    assert refusal(cut, passage) == "phone-band"


def test_a_gate_is_refused(passage):
    assert refusal(gated(by_phone(passage)), passage) == "phone-gate"


@pytest.mark.parametrize(("ratio", "release_s"), [(3.0, 1.5), (4.0, 0.4)])
def test_a_gain_that_rides_is_refused(passage, ratio, release_s):
    assert refusal(rides(by_phone(passage, 1e-3), ratio, release_s), passage) == "phone-gain"
