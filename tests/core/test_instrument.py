"""The chain of a second microphone, on strings whose lowest note, hum and knocks are known."""

import numpy as np
import pytest

from obsidian_wren.core.chain.equalizer import EqualizerSpec
from obsidian_wren.core.chain.highpass import HighpassSpec
from obsidian_wren.core.chain.offline import render
from obsidian_wren.core.measure.levels import true_peak_dbtp
from obsidian_wren.core.mix.hum_cuts import HUM_FROM_DBFS, hum_cuts, steady_hum, steady_spectrum
from obsidian_wren.core.mix.instrument import CEILING_DBTP, derive_instrument
from signals import RATE, noise, sine


def strings(lowest_hz, seconds=12.0, level=0.1):
    """Plucks every half second, up and down from a lowest note."""
    sound = np.zeros(round(seconds * RATE))
    at = np.arange(round(0.45 * RATE)) / RATE
    for number, first in enumerate(range(0, len(sound) - RATE // 2, RATE // 2)):
        hz = lowest_hz * (1.0, 1.5, 2.0, 1.25)[number % 4]
        pluck = sum(
            np.sin(2 * np.pi * n * hz * at) * np.exp(-at * (4.0 + 2.0 * n)) / n for n in range(1, 6)
        )
        sound[first : first + len(at)] += (
            level * pluck * np.clip(np.minimum(at / 0.004, (0.45 - at) / 0.1), 0.0, 1.0)
        )
    return sound


def line_db(sound, hz):
    spectrum = steady_spectrum(sound, rate_hz=RATE)
    near = np.abs(spectrum.frequency_hz - hz) < 2.0
    return 10 * np.log10(spectrum.mean_square[near].sum())


def level_db(sound, hz):
    window = np.exp(-2j * np.pi * hz * np.arange(len(sound)) / RATE)
    return 20 * np.log10(np.abs(np.mean(sound * window)))


@pytest.mark.parametrize("lowest_hz", [55.0, 110.0, 196.0])
def test_the_high_pass_lies_under_the_lowest_note_and_takes_knocks(lowest_hz):
    at = np.arange(12 * RATE) / RATE
    knocks = (
        0.02 * np.maximum(0.0, np.sin(2 * np.pi * at / 3.0)) ** 4 * np.sin(2 * np.pi * 15.0 * at)
    )
    sound = strings(lowest_hz) + noise(1e-4, 12.0)
    plan = derive_instrument(sound + knocks, rate_hz=RATE)
    assert plan.lowest_hz == pytest.approx(lowest_hz, rel=0.13)
    corner = next(spec for spec in plan.specs if isinstance(spec, HighpassSpec)).frequency_hz
    assert min(150.0, 0.6 * lowest_hz) <= corner < 0.85 * lowest_hz
    played, took = render(plan.specs, sound, rate_hz=RATE), render(plan.specs, knocks, rate_hz=RATE)
    assert level_db(played, lowest_hz) == pytest.approx(level_db(sound, lowest_hz), abs=1.2)
    assert 20 * np.log10(np.std(took) / np.std(knocks)) < -15.0


def test_hum_is_cut_out_of_hearing_and_told():
    hum = sum(sine(hz, dbfs, 12.0) for hz, dbfs in ((50.0, -55.0), (100.0, -60.0), (150.0, -58.0)))
    plan = derive_instrument(strings(196.0) + hum + noise(1e-5, 12.0), rate_hz=RATE)
    after = render(plan.specs, strings(196.0) + hum, rate_hz=RATE)
    for hz in (50.0, 100.0, 150.0):
        assert line_db(after[RATE:], hz) < HUM_FROM_DBFS + 1.0
    assert any(
        "Hum of 50 Hz" in sentence and "3 narrow cuts" in sentence for sentence in plan.because
    )


def test_what_does_not_hum_is_not_cut_and_soft_hum_neither():
    assert not any(
        isinstance(spec, EqualizerSpec)
        for spec in derive_instrument(strings(110.0), rate_hz=RATE).specs
    )
    soft = sine(50.0, -80.0, 12.0) + sine(100.0, -82.0, 12.0) + noise(1e-6, 12.0)
    assert steady_hum(soft, rate_hz=RATE) is None


def test_each_cut_is_as_deep_as_takes_its_line_out_of_hearing():
    hum = steady_hum(
        sine(50.0, -60.0, 8.0) + sine(100.0, -70.0, 8.0) + noise(1e-6, 8.0), rate_hz=RATE
    )
    cuts = hum_cuts(hum)
    assert [cut.frequency_hz for cut in cuts] == pytest.approx([50.0, 100.0], abs=0.2)
    assert [cut.gain_db for cut in cuts] == pytest.approx([-15.0, -5.0], abs=0.7)


@pytest.mark.parametrize(
    "sound",
    [strings(110.0, 3.0), np.zeros(8 * RATE), noise(0.01, 8.0)],
    ids=["short", "silent", "even"],
)
def test_what_tells_nothing_gets_the_usual_high_pass(sound):
    plan = derive_instrument(sound, rate_hz=RATE)
    assert plan.lowest_hz is None
    assert plan.specs[0] == HighpassSpec(40.0, 2)
    assert "cannot be told" in plan.because[0]


def test_no_peak_leaves_over_the_ceiling():
    plan = derive_instrument(strings(110.0, level=0.1), rate_hz=RATE)
    assert (
        true_peak_dbtp(render(plan.specs, strings(110.0, level=0.6), rate_hz=RATE))
        <= CEILING_DBTP + 0.05
    )
