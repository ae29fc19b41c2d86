"""Resampling at the edge of the program."""

import numpy as np
import pytest

from obsidian_wren.core.mix.resampling import ClockFollower, Resampler
from signals import sine


def tone_and_rest_db(sound, hz, rate_hz):
    """Amplitude of the best-fitting sine in dB, and what is left beside it, dB under it."""
    at = np.arange(len(sound)) / rate_hz
    basis = np.column_stack([np.sin(2 * np.pi * hz * at), np.cos(2 * np.pi * hz * at)])
    fit, *_ = np.linalg.lstsq(basis, sound, rcond=None)
    left = sound - basis @ fit
    level = float(np.hypot(*fit))
    return 20 * np.log10(level), 20 * np.log10(
        np.sqrt(np.mean(left**2)) * np.sqrt(2) / level + 1e-30
    )


def through(resampler, sound, size=480):
    parts = [sound[at : at + size, None] for at in range(0, len(sound), size)]
    return np.concatenate([resampler.process(part) for part in parts])[:, 0]


PAIRS = [
    (48_000, 44_100),
    (44_100, 48_000),
    (48_000, 16_000),
    (48_000, 24_000),
    (16_000, 48_000),
    (48_000, 96_000),
    (96_000, 48_000),
]


@pytest.mark.parametrize(("from_hz", "to_hz"), PAIRS)
@pytest.mark.parametrize("share", [0.02, 0.31, 0.8])
def test_a_tone_keeps_its_pitch_and_level_with_nothing_beside_it(from_hz, to_hz, share):
    hz = share * 0.5 * min(from_hz, to_hz)
    sound = sine(hz, 0.0, 0.5, rate_hz=from_hz)
    out = through(Resampler(from_hz=from_hz, to_hz=to_hz), sound)
    middle = out[round(0.05 * to_hz) : round(0.4 * to_hz)]
    level, rest = tone_and_rest_db(middle, hz, to_hz)
    assert level == pytest.approx(0.0, abs=0.001)
    assert rest < -100.0


@pytest.mark.parametrize(
    ("from_hz", "to_hz"), [(48_000, 16_000), (48_000, 24_000), (48_000, 44_100), (96_000, 48_000)]
)
@pytest.mark.parametrize("share", [1.0, 1.08, 1.5])
def test_what_the_lower_rate_cannot_carry_does_not_fold(from_hz, to_hz, share):
    hz = min(share * 0.5 * to_hz, 0.49 * from_hz)
    out = through(Resampler(from_hz=from_hz, to_hz=to_hz), sine(hz, 0.0, 0.5, rate_hz=from_hz))
    middle = out[round(0.05 * to_hz) : round(0.4 * to_hz)]
    assert 20 * np.log10(np.abs(middle).max() + 1e-30) < -100.0


def test_the_size_of_the_blocks_makes_no_difference():
    sound = np.random.default_rng(4).standard_normal(20_000)
    whole = through(Resampler(from_hz=48_000, to_hz=44_100), sound, size=20_000)
    for size in (1, 97, 480):
        parts = through(
            Resampler(from_hz=48_000, to_hz=44_100), sound[: 5000 if size == 1 else None], size=size
        )
        count = min(len(parts), len(whole))
        assert np.abs(parts[:count] - whole[:count]).max() < 1e-9


def test_channels_go_side_by_side_as_each_does_alone():
    sound = np.random.default_rng(7).standard_normal((4_800, 2))
    pair = Resampler(from_hz=44_100, to_hz=48_000, channels=2)
    both = np.concatenate([pair.process(sound[at : at + 441]) for at in range(0, 4_800, 441)])
    for channel in range(2):
        alone = through(Resampler(from_hz=44_100, to_hz=48_000), sound[:, channel], size=441)
        # Two at a time are added up in another order.
        assert np.allclose(both[:, channel], alone, rtol=0.0, atol=1e-14)


@pytest.mark.parametrize(("from_hz", "to_hz"), [(48_000, 16_000), (44_100, 48_000)])
def test_it_holds_back_as_much_as_it_tells(from_hz, to_hz):
    resampler = Resampler(from_hz=from_hz, to_hz=to_hz)
    sound = np.zeros(from_hz)
    sound[from_hz // 2] = 1.0
    out = through(resampler, sound)
    assert np.abs(out).argmax() / to_hz == pytest.approx(0.5, abs=1.01 / to_hz)
    assert (from_hz - len(out) * from_hz / to_hz) == pytest.approx(
        resampler.delay_samples, abs=1.0 + from_hz / to_hz
    )


@pytest.mark.parametrize("ppm", [200.0, -200.0, 0.0])
def test_an_hour_of_drift_is_absorbed_without_running_dry(ppm):
    """A fast clock: only the count of samples runs, an hour of 50 ms blocks with jitter."""
    jitter = np.random.default_rng(8).normal(0.0, 40.0, 72_000)
    follower = ClockFollower(wanted_samples=4800.0, rate_hz=48_000)
    waiting, lowest, highest = 4800.0, np.inf, 0.0
    ratios = []
    for block in range(72_000):
        # The near side brings 2400 samples; the far side takes 2400 of its own, each worth
        # ``ratio`` of ours, by its own clock.
        taken = 2400.0 * (1.0 - ppm * 1e-6)
        ratio = follower.see(waiting + jitter[block], elapsed_samples=2400.0)
        waiting += 2400.0 - taken * ratio
        if block > 1_200:
            lowest, highest = min(lowest, waiting), max(highest, waiting)
        ratios.append(ratio)
    assert 4800.0 - 240.0 < lowest
    assert highest < 4800.0 + 240.0
    assert np.mean(ratios[-12_000:]) == pytest.approx(1.0 / (1.0 - ppm * 1e-6), abs=2e-6)
    assert follower.drift_ppm == pytest.approx(ppm, abs=8.0)
    # Nobody hears a pitch that moves by less than a cent (0.06 %).
    assert np.ptp(ratios[12_000:]) < 6e-4


def test_a_ratio_that_moves_makes_no_click():
    resampler = Resampler(from_hz=48_000, to_hz=48_000)
    sound = sine(997.0, -6.0, 4.0)
    out = []
    for index, at in enumerate(range(0, len(sound), 480)):
        resampler.ratio = 1.0 + 2e-4 * np.sin(index / 20.0)
        out.append(resampler.process(sound[at : at + 480, None])[:, 0])
    heard = np.concatenate(out)[4800:]
    curve = np.abs(np.diff(heard, 2)).max()
    assert curve < 1.01 * np.abs(np.diff(sound, 2)).max()
