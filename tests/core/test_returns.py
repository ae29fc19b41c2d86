"""The return is measured and treated: hum, harshness, loudness, and a limiter for the ears."""

import pickle

import numpy as np
import pytest
import scipy.signal

from obsidian_wren.core.chain.offline import render
from obsidian_wren.core.measure.levels import true_peak_dbtp
from obsidian_wren.core.measure.loudness import integrated_lufs
from obsidian_wren.core.measure.running import RunningLevels
from obsidian_wren.core.mix.cases import CASES, case
from obsidian_wren.core.mix.hum_cuts import steady_spectrum
from obsidian_wren.core.mix.kinds import RULES
from obsidian_wren.core.mix.return_plan import RETURN_CEILING_DBTP, RETURN_LUFS
from obsidian_wren.core.mix.returns import (
    derive_return,
    read_return,
)
from signals import RATE, noise, sine, voice

TALK = voice()[: 14 * RATE]
HUM = sine(100.0, -46.0, 14.0) + sine(200.0, -52.0, 14.0) + sine(300.0, -58.0, 14.0)


@pytest.mark.parametrize("gain_db", [0.0, 6.0])
def test_the_other_side_comes_to_its_loudness_and_no_peak_over_the_ceiling(gain_db):
    sound = np.clip(TALK * 10 ** (gain_db / 20), -1.0, 1.0)
    plan = derive_return(sound, rate_hz=RATE)
    after = render(plan.specs, sound, rate_hz=RATE)
    assert integrated_lufs(after, rate_hz=RATE) == pytest.approx(RETURN_LUFS, abs=0.3)
    assert true_peak_dbtp(after) <= RETURN_CEILING_DBTP + 0.01
    assert plan.before.lufs == pytest.approx(integrated_lufs(sound, rate_hz=RATE), abs=0.01)
    assert plan.after.lufs == pytest.approx(RETURN_LUFS, abs=0.3)


def test_hum_under_someone_who_talks_is_found_in_the_pauses_and_taken_out():
    plan = derive_return(TALK + HUM, rate_hz=RATE)
    assert plan.before.hum_dbfs == pytest.approx(-44.8, abs=4.0)
    assert any("Hum of 50 Hz" in sentence for sentence in plan.because)
    after = render(plan.specs, TALK + HUM, rate_hz=RATE)
    gain = 20 * np.log10(np.std(render(plan.specs, TALK, rate_hz=RATE)) / np.std(TALK))
    # Beside what the whole was turned up by, the loudest line falls by 20 dB.
    for hz in (100.0, 200.0):
        before, behind = (_line_db(sound, hz) for sound in (TALK + HUM, after))
        assert behind - before < gain - 15.0


def _line_db(sound, hz):
    spectrum = steady_spectrum(sound, rate_hz=RATE)
    near = np.abs(spectrum.frequency_hz - hz) < 2.0
    return 10 * np.log10(spectrum.mean_square[near].sum())


def test_a_clean_voice_is_not_notched():
    plan = derive_return(TALK, rate_hz=RATE)
    assert plan.before.hum_dbfs is None
    assert [spec.kind for spec in plan.specs] == ["highpass", "gain", "limiter"]


def test_harshness_is_cut_and_measured_again():
    peak = scipy.signal.butter(2, (2000, 5000), "bandpass", fs=RATE, output="sos")
    harsh = TALK + 1.6 * scipy.signal.sosfilt(peak, TALK)
    plan = derive_return(harsh, rate_hz=RATE)
    plain = read_return(TALK, rate_hz=RATE)
    assert plan.before.harsh_db > plain.harsh_db + 4.0
    assert plan.after.harsh_db < plan.before.harsh_db - 2.0
    assert any("2 to 5 kHz" in sentence for sentence in plan.because)


def test_too_little_and_silence_give_no_plan():
    assert derive_return(TALK[: 3 * RATE], rate_hz=RATE) is None
    assert derive_return(np.zeros(10 * RATE), rate_hz=RATE) is None


@pytest.mark.parametrize("channels", [1, 2])
@pytest.mark.parametrize("block", [480, 4801, 100_000])
def test_running_levels_are_those_of_the_whole(channels, block):
    sound = (
        np.column_stack([TALK, 0.5 * np.roll(TALK, 999)])[: 8 * RATE, :channels]
        + noise(1e-4, 8.0)[:, None]
    )
    levels = RunningLevels(rate_hz=RATE, channels=channels)
    for first in range(0, len(sound), block):
        levels.add(sound[first : first + block])
    whole = len(sound) // 4800 * 4800
    assert levels.lufs == pytest.approx(integrated_lufs(sound[:whole], rate_hz=RATE), abs=0.02)
    peaks = [true_peak_dbtp(np.ascontiguousarray(c)) for c in sound[:whole].T]
    assert levels.true_peak_dbtp == pytest.approx(max(peaks), abs=0.02)
    assert max(levels.waveform(40)) == pytest.approx(np.abs(sound[:whole]).max())
    assert len(levels.waveform(40)) == 40
    assert len(levels.waveform(4000)) == whole // 4800


def test_running_levels_of_hours_hold_no_more_than_those_of_minutes_and_are_still_right():
    """Half an hour of loud and soft stretches and pauses, one click in it; at a low rate, so
    that it is soon through."""
    rate, minutes, rng = 8000, 30, np.random.default_rng(8)
    levels, held, whole = RunningLevels(rate_hz=rate, channels=1), [], []
    for minute in range(minutes):
        gains = np.repeat(10 ** (rng.choice([-20.0, -32.0, -45.0, -90.0], 12) / 20), 5 * rate)
        sound = rng.standard_normal(60 * rate) * gains * 0.2
        if minute == 21:
            sound[rate // 2] = 0.9
        levels.add(sound[:, None])
        held.append(len(pickle.dumps(levels)))
        whole.append(sound)
    together = np.concatenate(whole)
    assert max(held) < held[0] + 8 * 4096
    assert levels.lufs == pytest.approx(integrated_lufs(together, rate_hz=rate), abs=0.02)
    waveform = levels.waveform(300)
    assert len(waveform) == 300
    assert int(waveform.argmax()) == 300 * 21 // minutes
    assert waveform.max() == pytest.approx(0.9)
    assert np.median(np.abs(waveform - np.abs(together).reshape(300, -1).max(axis=1))) < 0.01


def test_running_levels_of_silence_are_unknown():
    levels = RunningLevels(rate_hz=RATE, channels=1)
    levels.add(np.zeros((RATE, 1)))
    assert levels.lufs is None
    assert levels.true_peak_dbtp is None


def test_every_case_has_a_rule_for_each_of_its_listeners_and_a_voice_to_send():
    assert len({entry.key for entry in CASES}) == len(CASES) == 4
    for entry in CASES:
        assert "voice" in entry.sources
        assert entry.listeners <= set(RULES)
        if "recorder" in entry.listeners:
            assert entry.tracks
    assert case("everything").listeners == set(RULES)
    with pytest.raises(StopIteration):
        case("nothing")
