"""The live comparison in headphones: in step, equally loud, without a click."""

import numpy as np
import pytest

from obsidian_wren.core.chain.gain import GainSpec
from obsidian_wren.core.chain.limiter import LimiterSpec
from obsidian_wren.core.chain.noise_reduction import NoiseReductionSpec
from obsidian_wren.core.decibels import amplitude_from_db
from obsidian_wren.core.measure.loudness import integrated_lufs
from obsidian_wren.core.mix.monitor import Monitor
from signals import RATE, noise, sine

QUIET_LIMIT = LimiterSpec(-1.0, 100.0)


def run(monitor, sound, size=480):
    heard = [monitor.process(sound[at : at + size]) for at in range(0, len(sound), size)]
    return np.concatenate([h.raw for h in heard]), np.concatenate([h.treated for h in heard]), heard


@pytest.mark.parametrize("size", [1, 97, 480, 2400])
def test_raw_is_as_late_as_treated(size):
    sound = noise(0.02, 0.25, seed=3)
    monitor = Monitor((GainSpec(6.0), QUIET_LIMIT), rate_hz=RATE)
    raw, treated, _ = run(monitor, sound, size)
    late = monitor.delay_samples
    assert late > 0
    np.testing.assert_allclose(raw[late:], sound[:-late], rtol=0, atol=1e-12)
    assert treated == pytest.approx(raw * amplitude_from_db(6.0), abs=1e-6)


def test_what_is_louder_comes_down_to_the_other():
    sound = sine(700.0, -30.0, 4)
    _, _, heard = run(Monitor((GainSpec(9.0),), rate_hz=RATE), sound)
    assert heard[-1].raw_gain_db - heard[-1].treated_gain_db == pytest.approx(9.0, abs=0.05)
    raw, treated = (
        np.concatenate([getattr(h, name) for h in heard]) for name in ("raw", "treated")
    )
    loudness = [
        integrated_lufs(raw * amplitude_from_db(heard[-1].raw_gain_db), rate_hz=RATE),
        integrated_lufs(treated * amplitude_from_db(heard[-1].treated_gain_db), rate_hz=RATE),
    ]
    assert loudness[0] == pytest.approx(loudness[1], abs=0.1)
    assert loudness[0] == pytest.approx(-20.0, abs=0.2)


def test_a_pause_does_not_move_the_match():
    talk, pause = sine(700.0, -30.0, 4), noise(1e-4, 3.0, seed=5)
    monitor = Monitor((GainSpec(9.0),), rate_hz=RATE)
    _, _, heard = run(monitor, talk)
    before = heard[-1].raw_gain_db
    _, _, heard = run(monitor, pause)
    assert heard[-1].raw_gain_db == pytest.approx(before, abs=0.1)


def test_nothing_heard_is_not_lifted():
    _, _, heard = run(Monitor((GainSpec(9.0),), rate_hz=RATE), np.zeros(RATE))
    assert (heard[-1].raw_gain_db, heard[-1].treated_gain_db) == (0.0, 0.0)


def test_a_peak_keeps_its_room():
    sound = sine(700.0, -40.0, 2)
    sound[RATE] = 0.5
    _, _, heard = run(Monitor((), rate_hz=RATE), sound)
    assert 0.5 * amplitude_from_db(heard[-1].raw_gain_db) <= amplitude_from_db(-1.0) + 1e-9


def test_a_slower_chain_comes_in_without_a_click_and_stays_in_step():
    profile = tuple((hz, -140.0) for hz in (50.0, 20_000.0))
    slow = (NoiseReductionSpec(6.0, profile), QUIET_LIMIT)
    monitor = Monitor((QUIET_LIMIT,), rate_hz=RATE)
    sound = sine(220.0, -20.0, 2)
    first, _, _ = run(monitor, sound[: RATE // 2])
    monitor.change(slow)
    second, treated, _ = run(monitor, sound[RATE // 2 :])
    steps = np.abs(np.diff(np.concatenate([first, second])))
    assert steps.max() < 3.0 * np.abs(np.diff(sound)).max()
    late = monitor.delay_samples
    assert late > round(0.007 * RATE)
    assert second[RATE:] == pytest.approx(
        sound[RATE // 2 + RATE - late : len(sound) - late], abs=1e-9
    )
    np.testing.assert_allclose(treated[RATE:], second[RATE:], rtol=0, atol=0.02)
