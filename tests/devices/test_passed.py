"""What went through since it was asked last."""

import numpy as np
import pytest

from obsidian_wren.voice.passed import PassedBlocks


def test_who_asks_late_is_told_of_the_newest_and_of_nothing_twice():
    passing = PassedBlocks()
    assert passing.take() is None
    for number in range(1000):
        passing.add(np.full(480, 0.5 if number < 500 else 0.1), 0.001 * (number % 3))
    found = passing.take()
    assert found.peak_dbfs == pytest.approx(-20.0)
    assert found.waited_ms == pytest.approx(1.0)
    assert passing.take() is None
