"""Sibilants."""

import numpy as np
import pytest
import scipy.signal

from obsidian_wren.core.measure.sibilants import find_sibilants
from signals import RATE, noise


def hissing(level_db, times, *, hz=6500.0, length_s=0.09):
    """A vowel-like buzz with hisses between, each ``level_db`` over it as a plain level."""
    at = np.arange(12 * RATE) / RATE
    buzz = scipy.signal.sawtooth(2 * np.pi * 120 * at)
    band = scipy.signal.butter(2, [150, 2500], "bandpass", fs=RATE, output="sos")
    buzz = scipy.signal.sosfilt(band, buzz)
    buzz *= 0.05 / np.sqrt(np.mean(buzz**2))
    hiss = scipy.signal.sosfilt(
        scipy.signal.butter(2, [hz / 1.15, hz * 1.15], "bandpass", fs=RATE, output="sos"),
        noise(1.0, 12.0),
    )
    hiss *= 0.05 * 10 ** (level_db / 20) / np.sqrt(np.mean(hiss**2))
    inside = np.zeros(len(at), dtype=bool)
    for start in times:
        inside |= (at >= start) & (at < start + length_s)
    return np.where(inside, hiss, buzz) + noise(1e-5, 12.0)


def test_sibilants_are_found_with_frequency_and_loudness_beside_their_neighbours():
    times = (1.0, 2.5, 4.0, 6.0, 8.5, 10.0)
    for level in (-6.0, 3.0):
        found = find_sibilants(hissing(level, times), rate_hz=RATE)
        assert [s.at_s for s in found] == pytest.approx(times, abs=0.02)
        assert {s.sort for s in found} == {"s"}
        assert np.median([s.frequency_hz for s in found]) == pytest.approx(6500.0, rel=0.08)
        # K-weighting lifts 6.5 kHz by 4 dB, and a hiss's loudest 20 ms stand a little over its
        # mean.
        assert np.median([s.over_neighbours_db for s in found]) == pytest.approx(
            level + 4.0, abs=1.5
        )


def test_a_stop_is_told_from_a_lasting_hiss_and_a_vowel_is_none():
    found = find_sibilants(hissing(0.0, (2.0, 5.0, 8.0), length_s=0.03), rate_hz=RATE)
    assert [s.sort for s in found] == ["t"] * 3
    assert find_sibilants(hissing(0.0, ()), rate_hz=RATE) == ()
    assert find_sibilants(np.zeros(100), rate_hz=RATE) == ()
