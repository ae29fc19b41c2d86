"""Takes that go wrong in ways that are known, and what is found of them."""

import numpy as np
import pytest
import scipy.linalg
import scipy.ndimage
import scipy.signal

from obsidian_wren.core.measure import speech
from obsidian_wren.core.measure.bursts import find_bursts, without_bursts
from obsidian_wren.core.measure.channels import voice_channel
from obsidian_wren.core.measure.faults import check, is_whispered
from obsidian_wren.core.measure.pair_findings import match_floor
from obsidian_wren.core.measure.readings import read_quiet, read_talk
from obsidian_wren.core.measure.speech import active_level
from obsidian_wren.core.measure.take_findings import (
    quiet_findings,
    talk_findings,
)
from obsidian_wren.core.rate import at_rate
from signals import RATE, noise, room, sine, voice

FLOOR = 2e-4


def codes(findings):
    return [found.code for found in findings]


def of_quiet(samples):
    return quiet_findings(samples, read_quiet(samples, rate_hz=RATE))


def of_talk(samples):
    return talk_findings(samples, read_talk(samples, rate_hz=RATE))


def talk(part="passage", floor=FLOOR, seed=3):
    return voice(part) + room(floor, len(voice(part)) / RATE, seed=seed)


def whispered(seed=1):
    """The talker with every pulse taken out: noise of the same short-time spectrum."""
    spectra = scipy.signal.stft(voice("passage")[: 20 * RATE], RATE, nperseg=1024)[2]
    shape = scipy.ndimage.gaussian_filter1d(np.abs(spectra), 4, axis=0)
    rng = np.random.default_rng(seed)
    drawn = rng.normal(size=shape.shape) + 1j * rng.normal(size=shape.shape)
    sound = scipy.signal.istft(shape * drawn, RATE, nperseg=1024)[1]
    return sound * (0.03 / np.std(sound))


def match(quiet, sound):
    level = active_level(sound, rate_hz=RATE).level_dbfs
    return match_floor(quiet, sound, rate_hz=RATE, active_level_dbfs=level)


def test_takes_that_are_as_they_should_be_have_no_finding():
    assert of_quiet(room(FLOOR)) == ()
    assert of_talk(talk()) == ()
    assert match(room(FLOOR), talk()).findings == ()


@pytest.mark.parametrize("at_s", [2.0, 8.0, 13.5])
def test_one_slam_is_left_out_and_its_time_is_named(at_s):
    slammed = room(FLOOR)
    start = round(at_s * RATE)
    fall = np.exp(-np.arange(RATE // 2) / (0.05 * RATE))
    slammed[start : start + RATE // 2] += noise(0.1, 0.5, seed=4) * fall
    assert codes(of_quiet(slammed)) == ["burst_in_quiet"]
    ((begin, end),) = find_bursts(slammed, rate_hz=RATE)
    assert begin <= at_s <= end <= at_s + 1.5
    kept = without_bursts(slammed, rate_hz=RATE)
    reading = read_quiet(slammed, rate_hz=RATE, undisturbed=kept)
    plain = read_quiet(room(FLOOR), rate_hz=RATE)
    assert reading.rms_dbfs == pytest.approx(plain.rms_dbfs, abs=0.3)
    # It is still counted as something that happened.
    assert reading.transients.count >= 1


def test_what_is_loud_half_of_the_time_is_the_room():
    working = room(FLOOR)
    for second in range(1, 15, 2):
        working[second * RATE : (second + 1) * RATE] += noise(0.01, 1.0, seed=second)
    assert find_bursts(working, rate_hz=RATE) == ()
    assert find_bursts(room(FLOOR, 2.0), rate_hz=RATE) == ()


def test_a_quiet_that_is_gated_stops_and_a_gap_is_told():
    gated = room(FLOOR)
    for second in range(0, 15, 2):
        gated[second * RATE : (second + 1) * RATE] = 0.0
    (found,) = of_quiet(gated)
    assert (found.code, found.stops) == ("gated_quiet", True)
    gap = room(FLOOR)
    gap[5 * RATE : 5 * RATE + 480] = 0.0
    (found,) = of_quiet(gap)
    assert (found.code, found.stops) == ("gaps", False)


def test_an_offset_is_told_of_either_take_and_of_neither_under_a_thousandth():
    assert codes(of_quiet(room(FLOOR) + 0.005)) == ["dc_offset"]
    assert codes(of_talk(talk() + 0.005)) == ["dc_offset"]
    assert of_quiet(room(FLOOR) + 0.0005) == ()


def test_short_takes_say_what_is_enough():
    assert codes(of_quiet(room(FLOOR, 5.0))) == ["too_short"]
    (found,) = of_talk(talk()[: 6 * RATE])
    assert found.code == "too_short"
    assert "20 s" in found.action


def test_levels_that_are_wrong_are_found():
    assert "low_level" in codes(of_talk(talk() * 0.005))
    clipped = np.clip(talk() * 6.0, -0.9, 0.9)
    assert "clipped" in codes(of_talk(clipped))
    low_rate = talk_findings(
        voice("talk", rate_hz=8_000), read_talk(voice("talk", rate_hz=8_000), rate_hz=8_000)
    )
    assert "band_limited" in codes(low_rate)


def test_a_gate_before_us_is_found_in_the_talk():
    sound = talk()
    quietest = np.convolve(np.abs(sound), np.ones(4800) / 4800, mode="same")
    sound[quietest < 2e-3] = 0.0
    assert "processed" in codes(of_talk(sound))


@pytest.mark.parametrize("gain_db", [-15.0, 15.0])
def test_another_gain_in_the_quiet_take_is_found_and_mended(gain_db):
    found = match(room(FLOOR * 10 ** (gain_db / 20), seed=8), talk())
    assert codes(found.findings) == ["floor_mismatch"]
    assert found.same_shape
    assert found.difference_db == pytest.approx(-gain_db, abs=1.0)
    assert "the gain was changed" in found.findings[0].sentence
    level = 10 * np.log10(np.mean(found.floor**2) / FLOOR**2)
    assert level == pytest.approx(0.0, abs=1.0)


def test_a_fan_that_runs_only_while_talking_is_found_and_counts():
    fan = scipy.signal.sosfilt(
        scipy.signal.butter(2, 300, fs=RATE, output="sos"),
        noise(0.02, len(voice("passage")) / RATE, seed=6),
    )
    found = match(room(FLOOR), talk() + fan)
    assert codes(found.findings) == ["floor_mismatch"]
    assert not found.same_shape
    assert "only while you talk" in found.findings[0].sentence
    true_db = 10 * np.log10(np.mean((fan[: 15 * RATE] + room(FLOOR)) ** 2))
    assert 10 * np.log10(np.mean(found.floor**2)) == pytest.approx(true_db, abs=2.0)


@pytest.mark.parametrize("decay_s", [0.4, 0.8])
def test_a_rooms_reverberation_is_no_other_floor(decay_s):
    """Either the pauses are long enough to stand level, or nothing is said of them."""
    n = round(decay_s * RATE)
    answer = np.random.default_rng(2).normal(size=n) * 10 ** (-3 * np.arange(n) / n)
    answer /= np.sqrt(np.sum(answer**2))
    wet = scipy.signal.fftconvolve(voice("passage"), answer)[: len(voice("passage"))]
    found = match(room(FLOOR), voice("passage") + wet + room(FLOOR, len(wet) / RATE, seed=5))
    assert found is None or found.findings == ()


def whisper_of(sound, order=18):
    """A voice ``(n,)`` turned to noise by linear prediction: its formants and levels, no pitch."""
    low = at_rate(sound, RATE, 16_000)
    frame = 480
    window, out = np.hanning(frame), np.zeros(len(low) + frame)
    drawn = np.random.default_rng(1)
    for at in range(0, len(low) - frame, frame // 2):
        part = low[at : at + frame] * window
        found = np.correlate(part, part, "full")[frame - 1 : frame + order]
        if found[0] < 1e-9:
            continue
        found[0] *= 1.0001
        taps = scipy.linalg.solve_toeplitz(found[:-1], found[1:])
        left = np.sqrt(max(found[0] - taps @ found[1:], 1e-12) / frame)
        noise_like = drawn.standard_normal(frame) * left
        out[at : at + frame] += scipy.signal.lfilter([1.0], np.r_[1.0, -taps], noise_like) * window
    return at_rate(out[: len(low)], 16_000, RATE)


@pytest.mark.parametrize("highpass_hz", [None, 400.0])
def test_a_voice_turned_to_noise_is_one_whisper(highpass_hz):
    said = voice()[: 15 * RATE]
    sound = whisper_of(said)
    if highpass_hz:
        sections = scipy.signal.butter(1, highpass_hz, "highpass", fs=RATE, output="sos")
        sound = scipy.signal.sosfilt(sections, sound)
    sound = sound[: 14 * RATE] + room(FLOOR, 14.0)
    # It looks voiced here and there, with a pitch that jumps.
    assert speech.find_voice(sound, rate_hz=RATE).voiced_s > 0.1
    assert [note.code for note in check(sound, rate_hz=RATE, purpose="talk")] == ["whisper"]
    assert read_talk(sound, rate_hz=RATE).pitch_hz is None
    assert read_talk(said, rate_hz=RATE).pitch_hz is not None


def test_a_whisper_is_speech_and_noise_music_and_keys_are_none():
    sound = whispered() + room(FLOOR, len(whispered()) / RATE)
    assert is_whispered(sound, rate_hz=RATE)
    assert [note.code for note in check(sound, rate_hz=RATE, purpose="talk")] == ["whisper"]
    assert "whisper" in codes(of_talk(sound))
    keys = room(FLOOR)
    for start in np.random.default_rng(7).integers(0, 14 * RATE, 40):
        keys[start : start + 2000] += noise(0.05, 2000 / RATE) * np.exp(-np.arange(2000) / 500)
    for sound in (noise(0.03, 15.0), sine(100, -20, 15.0) + room(FLOOR), keys):
        assert not is_whispered(sound, rate_hz=RATE)


def test_the_channel_with_the_voice_is_chosen_not_the_loudest():
    sound = talk()[: 20 * RATE]
    hiss = noise(0.05, 20.0, seed=9)
    chosen, notes = voice_channel(np.stack([hiss, sound], axis=1), rate_hz=RATE)
    assert (chosen, [note.code for note in notes]) == (2, ["channel_chosen"])
    assert voice_channel(np.stack([sound, hiss], axis=1), rate_hz=RATE) == (None, ())
    # What bleeds into the first microphone is the same voice, faint over its noise.
    bleeding = 0.03 * sound + room(FLOOR, 20.0, seed=10)
    assert voice_channel(np.stack([bleeding, sound], axis=1), rate_hz=RATE)[0] == 2
    assert voice_channel(np.stack([hiss, hiss], axis=1), rate_hz=RATE) == (None, ())
