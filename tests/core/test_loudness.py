import numpy as np
import pytest

from obsidian_wren.core.measure.loudness import hops_of, measure_loudness
from signals import sine


def tones(*parts: tuple[float, float], rate_hz: int = 48_000, hz: float = 1000.0) -> np.ndarray:
    """Stereo 1 kHz tones one after another, as in EBU Tech 3341: (dBFS, seconds)."""
    mono = np.concatenate([sine(hz, level, seconds, rate_hz=rate_hz) for level, seconds in parts])
    return np.stack([mono, mono], axis=1)


@pytest.mark.parametrize("rate", [44_100, 48_000, 96_000])
@pytest.mark.parametrize(
    "parts, expected",
    [
        ([(-23, 20)], -23.0),
        ([(-33, 20)], -33.0),
        ([(-36, 10), (-23, 60), (-36, 10)], -23.0),
        ([(-72, 10), (-36, 10), (-23, 60), (-36, 10), (-72, 10)], -23.0),
        ([(-26, 20), (-20, 20.1), (-26, 20)], -23.0),
    ],
)
def test_integrated_loudness_of_ebu_tech_3341(parts, expected, rate):
    sound = tones(*parts, rate_hz=rate)
    assert measure_loudness(sound, rate_hz=rate).integrated_lufs == pytest.approx(expected, abs=0.1)


@pytest.mark.parametrize(
    "parts, expected",
    [
        ([(-20, 20), (-30, 20)], 10.0),
        ([(-20, 20), (-15, 20)], 5.0),
        ([(-40, 20), (-20, 20)], 20.0),
        ([(-50, 20), (-35, 20), (-20, 20), (-35, 20), (-50, 20)], 15.0),
    ],
)
def test_loudness_range_of_ebu_tech_3342(parts, expected):
    assert measure_loudness(tones(*parts), rate_hz=48_000).range_lu == pytest.approx(
        expected, abs=1.0
    )


def test_one_channel_is_three_decibels_less():
    mono = tones((-23, 20))[:, 0]
    assert measure_loudness(mono, rate_hz=48_000).integrated_lufs == pytest.approx(-26.0, abs=0.05)


def test_silence_and_snippets_have_no_loudness():
    assert measure_loudness(np.zeros(48_000 * 5), rate_hz=48_000).integrated_lufs is None
    assert measure_loudness(sine(1000, -20, 0.2), rate_hz=48_000).integrated_lufs is None


@pytest.mark.parametrize("rate", [8_000, 11_025, 44_100, 48_000])
def test_hops_are_means_of_tenths_of_a_second_at_any_rate(rate):
    sound = np.random.default_rng(rate).normal(0.0, 0.1, 3 * rate + 17)
    hops = hops_of(sound, rate_hz=rate)
    assert len(hops) == 30
    for number, hop in enumerate(hops):
        here = sound[round(number * rate / 10) : round((number + 1) * rate / 10)]
        # Where a tenth of a second is no whole number of samples, one more or less may count.
        exact = 1e-12 if rate % 10 == 0 else float(np.max(sound**2)) / hop / (0.1 * rate)
        assert hop == pytest.approx(np.sum(here**2) / (0.1 * rate), rel=exact)
    spoken = np.sum(sound[: 3 * rate] ** 2) / (0.1 * rate)
    assert np.sum(hops) == pytest.approx(spoken, rel=1e-12)
    assert len(hops_of(sound[: rate // 10 - 1], rate_hz=rate)) == 0
