"""Ducking."""

import numpy as np
import pytest

from obsidian_wren.core.mix.ducking import Ducker, Ducking, ducked
from signals import sine

DUCK = Ducking(threshold_dbfs=-40.0, attack_ms=20.0, hold_ms=200.0, release_ms=300.0)


def gains_db(voice, ducking=DUCK, size=480):
    ducker = Ducker(ducking, rate_hz=48_000)
    shares = np.concatenate(
        [ducker.shares(voice[at : at + size]) for at in range(0, len(voice), size)]
    )
    return 20.0 * np.log10(ducked(shares, 12.0))


def test_music_drops_by_the_depth_and_comes_back_after_the_hold():
    voice = np.concatenate([np.zeros(48_000), sine(200.0, -20.0, 1.0), np.zeros(3 * 48_000)])
    found = gains_db(voice)
    at = lambda seconds: found[round(seconds * 48_000)]  # noqa: E731
    assert at(0.99) == pytest.approx(0.0, abs=1e-6)
    assert at(1.9) == pytest.approx(-12.0, abs=0.05)
    assert at(2.19) == pytest.approx(-12.0, abs=0.05)
    assert at(4.9) == pytest.approx(0.0, abs=0.05)


def test_attack_and_release_are_what_is_stated():
    voice = np.concatenate([np.zeros(48_000), sine(200.0, -20.0, 1.0), np.zeros(3 * 48_000)])
    found = gains_db(voice)
    start = 48_000 + np.argmax(found[48_000:] < -0.05)
    reached = 48_000 + np.argmax(found[48_000:] < -12.0 * 0.632)
    assert (reached - start) / 48.0 == pytest.approx(20.0, rel=0.05, abs=0.4)
    left = 96_000 + np.argmax(found[96_000:] > -11.95)
    back = 96_000 + np.argmax(found[96_000:] > -12.0 * 0.368)
    assert (back - left) / 48.0 == pytest.approx(300.0, rel=0.05)


def test_a_pause_shorter_than_the_hold_leaves_it_down():
    word = sine(200.0, -20.0, 0.3)
    voice = np.concatenate([word, np.zeros(round(0.15 * 48_000))] * 5)
    found = gains_db(voice)
    assert found[round(0.25 * 48_000) :].max() < -11.9


def test_a_room_under_the_threshold_ducks_nothing():
    assert gains_db(sine(200.0, -41.0, 1.0)).min() == pytest.approx(0.0, abs=1e-9)


@pytest.mark.parametrize("size", [1, 333, 48_000])
def test_ducking_runs_on_over_any_blocks(size):
    voice = np.concatenate([np.zeros(1000), sine(200.0, -20.0, 0.1), np.zeros(2000)])
    assert gains_db(voice, size=size) == pytest.approx(gains_db(voice), abs=1e-9)
