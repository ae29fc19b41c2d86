"""Sections of filters in series: what SciPy gives, whatever the blocks; peaks between samples where
they count."""

import numpy as np
import pytest
import scipy.signal
from hypothesis import given
from hypothesis import strategies as st

from obsidian_wren.core.chain.between_samples import local_peaks
from obsidian_wren.core.chain.filters import (
    filtered,
    highpass_sections,
    lowpass_sections,
    run_sections,
)
from obsidian_wren.core.chain.limiter import limiter_gains
from obsidian_wren.core.chain.limiters import Limiters
from signals import RATE

SECTIONS = np.vstack(
    [
        highpass_sections(70.0, order=4, rate_hz=RATE),
        lowpass_sections(9000.0, order=3, rate_hz=RATE),
        highpass_sections(30.0, order=1, rate_hz=RATE),
    ]
)


def noise(count, seed=1):
    return np.random.default_rng(seed).normal(0.0, 0.2, count)


@pytest.mark.parametrize("count", range(len(SECTIONS) + 1))
def test_so_many_sections_give_what_a_library_gives(count):
    sound = noise(20_000)
    expected = scipy.signal.sosfilt(SECTIONS[:count], sound) if count else sound
    np.testing.assert_allclose(filtered(SECTIONS[:count], sound), expected, atol=1e-12)


@given(st.lists(st.integers(1, 3000), min_size=1, max_size=12), st.integers(0, len(SECTIONS)))
def test_blocks_of_any_length_give_the_same(lengths, count):
    sound = noise(sum(lengths))
    sections, state = SECTIONS[:count], np.zeros((count, 2))
    out, at = np.empty_like(sound), 0
    for length in lengths:
        run_sections(sections, state, sound[at : at + length], out[at : at + length])
        at += length
    np.testing.assert_allclose(out, filtered(sections, sound), atol=1e-13)


def test_a_tail_that_has_died_away_is_nothing_and_not_almost_nothing():
    """Numbers of 1e-310 would be forty times slower."""
    state = np.zeros((len(SECTIONS), 2))
    click = np.zeros(20 * RATE)
    click[0] = 1.0
    out = np.empty_like(click)
    run_sections(SECTIONS, state, click, out)
    assert not state.any()
    assert not out[-RATE:].any()


def loud_and_soft(seconds, channels):
    rng = np.random.default_rng(4)
    count = seconds * RATE
    envelope = np.repeat(10.0 ** rng.uniform(-2.5, 0.2, count // 480), 480)
    return rng.normal(0.0, 0.3, (count, channels)) * envelope[:, None]


def one_sound(channels):
    return Limiters(channels=[channels], ceilings_dbtp=[-3.0], release_s=0.1, rate_hz=RATE)


def limited(limiters, block):
    return limiters.process(np.ascontiguousarray(block.T)[None])[0]


@pytest.mark.parametrize("channels", [1, 2])
def test_the_short_way_past_soft_sound_changes_no_gain(channels):
    """Where nothing is loud the limiter looks at no peak between samples; it must come to the
    gains that it comes to with all of them."""
    sound = loud_and_soft(2, channels)
    short = one_sound(channels)
    out = np.concatenate([limited(short, block) for block in np.split(sound, 200)])
    peaks = np.max([local_peaks(np.ascontiguousarray(one)) for one in sound.T], axis=0)
    gains = limiter_gains(peaks, gain_db=0.0, ceiling_dbtp=-3.0, release_s=0.1, rate_hz=RATE)
    delay = short.delay_samples
    expected = sound[:-delay] * gains[:-delay, None]
    np.testing.assert_allclose(out[delay:], expected, atol=1e-9)
    assert np.max(np.abs(out)) <= 10.0 ** (-3.0 / 20.0)
    assert gains.min() < 0.7


def test_at_rest_a_limiter_changes_nothing():
    one = one_sound(2)
    soft = noise(2 * 48_000).reshape(-1, 2) * 0.1
    out = np.concatenate([limited(one, block) for block in np.split(soft, 100)])
    np.testing.assert_array_equal(out[one.delay_samples :], soft[: -one.delay_samples])
    assert one.take_gains_db() == [0.0]
