"""Plosives."""

import numpy as np
import pytest

from obsidian_wren.core.measure.plosives import find_plosives
from signals import RATE, noise, voice


def with_bursts(sound, times, height):
    out = sound.copy()
    at = np.arange(round(0.1 * RATE)) / RATE
    burst = height * np.exp(-at / 0.02) * np.sin(2 * np.pi * 40 * at) * (1 - np.exp(-at / 0.002))
    for start in times:
        first = round(start * RATE)
        out[first : first + len(burst)] += burst
    return out


def test_plosives_are_found_where_they_are_and_a_low_voice_is_none():
    times = (2.0, 5.5, 9.25, 14.0, 21.0)
    sound = voice()[: 25 * RATE] + noise(1e-4, 25.0)
    assert find_plosives(sound, rate_hz=RATE) == ()
    found = find_plosives(with_bursts(sound, times, 0.8), rate_hz=RATE)
    assert [p.at_s for p in found] == pytest.approx(times, abs=0.03)
    assert all(0.01 <= p.length_s <= 0.15 for p in found)
    # A hum under the voice lasts, so it is no burst.
    hum = 0.1 * np.sin(2 * np.pi * 50 * np.arange(len(sound)) / RATE)
    assert find_plosives(sound + hum, rate_hz=RATE) == ()
    assert find_plosives(np.zeros(RATE), rate_hz=RATE) == ()
