"""Words found in a take."""

import numpy as np
import pytest

from bursts import LENGTHS, STARTS, words_at
from obsidian_wren.core.measure.words import find_words, pauses_s, within
from signals import RATE, noise


def test_words_are_found_where_they_are():
    sound = words_at() + noise(1e-4, 6.0)
    found = find_words(sound, rate_hz=RATE, room_dbfs=-75.0)
    assert len(found) == len(STARTS)
    for word, start, length in zip(found, STARTS, LENGTHS, strict=True):
        assert word.start_s == pytest.approx(start, abs=0.02)
        assert word.end_s == pytest.approx(start + length, abs=0.025)
    assert pauses_s(found) == pytest.approx([0.3, 0.25, 0.55, 0.85], abs=0.04)
    assert within(found, np.array([0.0, 0.6, 1.0, 1.9, 5.9])).tolist() == [
        False,
        True,
        False,
        True,
        False,
    ]


def test_a_knock_and_a_silent_take_are_no_words():
    knock = noise(1e-4, 3.0)
    knock[RATE : RATE + 200] += 0.01
    assert len(
        find_words(words_at() + np.pad(knock, (0, 3 * RATE)), rate_hz=RATE, room_dbfs=-75.0)
    ) == len(STARTS)
    assert find_words(np.zeros(RATE), rate_hz=RATE, room_dbfs=-80.0) == ()
    assert not within((), np.array([1.0])).any()
