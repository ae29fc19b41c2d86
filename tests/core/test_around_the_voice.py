"""What sounds around a voice: a live room, music, another talker, another gate, the end of a band;
each put there, so that what has to be found is known."""

from functools import cache

import numpy as np
import pytest
import scipy.signal

from obsidian_wren.core.chain.gate import GateSpec
from obsidian_wren.core.chain.offline import render
from obsidian_wren.core.measure.channels import voice_channel
from obsidian_wren.core.measure.finding import noted
from obsidian_wren.core.measure.levels import rms_dbfs
from obsidian_wren.core.measure.readings import read_quiet, read_talk
from obsidian_wren.core.measure.speech import active_level
from obsidian_wren.core.measure.take_findings import talk_findings
from signals import RATE, noise, room, voice

FLOOR = 2e-4
VOICE = voice("talk")
SECONDS = len(VOICE) / RATE


@cache
def quiet():
    return read_quiet(room(FLOOR), rate_hz=RATE)


def found_in(sound):
    found = talk_findings(sound, read_talk(sound, rate_hz=RATE, quiet=quiet()))
    return {finding.code: finding for finding in found}


def under(sound, by_db):
    """A sound as long as the voice, so far under it."""
    sound = np.resize(sound, len(VOICE))
    here = active_level(VOICE, rate_hz=RATE).level_dbfs - by_db
    return sound * 10.0 ** ((here - rms_dbfs(sound)) / 20.0)


def tune(seed=1):
    """Plucked notes, one after the other."""
    rng = np.random.default_rng(seed)
    out = np.zeros(len(VOICE) + 2 * RATE)
    start = 0
    while start < len(VOICE):
        at = np.arange(RATE) / RATE
        pitch = 220.0 * 2.0 ** (rng.integers(0, 12) / 12.0)
        envelope = np.exp(-at / 0.3) * (1.0 - np.exp(-at / 0.01))
        for partial in range(1, 6):
            out[start : start + RATE] += (
                np.sin(2.0 * np.pi * pitch * partial * at) * envelope / partial
            )
        start += int(rng.choice([0.25, 0.5])) * RATE or RATE // 3
    return out[: len(VOICE)]


def hum():
    at = np.arange(len(VOICE)) / RATE
    return sum(np.sin(2.0 * np.pi * 50.0 * k * at + k) / k for k in range(1, 12))


CALM = VOICE + room(FLOOR, SECONDS, seed=3)


def test_a_voice_alone_in_a_calm_room_has_no_finding():
    assert found_in(CALM) == {}


@pytest.mark.parametrize("by_db", [6.0, 15.0, 22.0])
def test_music_under_a_voice_is_told_and_stops(by_db):
    found = found_in(CALM + under(tune(), by_db))["music_in_talk"]
    assert found.stops
    assert "There is music under your voice" in found.sentence


def test_somebody_else_under_a_voice_is_told_and_stops():
    found = found_in(CALM + under(voice("passage"), 18.0))["background_voice"]
    assert found.stops


def test_several_who_leave_no_pause_are_told_and_stop():
    others = voice("passage")
    babble = sum(np.resize(np.roll(others, -at * RATE), len(VOICE)) for at in (0, 3, 7, 11, 16))
    assert found_in(CALM + under(babble, 8.0))["background_voice"].stops


def test_a_live_room_is_not_somebody_else():
    at = np.arange(RATE) / RATE
    tail = np.random.default_rng(9).standard_normal(RATE) * 10.0 ** (-3.0 * at / 0.6)
    late = scipy.signal.oaconvolve(VOICE, tail)[: len(VOICE)]
    assert "background_voice" not in found_in(CALM + under(late, 9.0))


@pytest.mark.parametrize("sound", [hum(), noise(1.0, SECONDS, seed=8)], ids=["hum", "fan"])
def test_what_is_neither_music_nor_voice_is_not_taken_for_it(sound):
    assert not {"music_in_talk", "background_voice"} & set(found_in(CALM + under(sound, 25.0)))


def test_a_voice_far_away_in_a_live_room_is_told_distance_first():
    at = np.arange(RATE) / RATE
    tail = np.random.default_rng(4).standard_normal(RATE) * 10.0 ** (-3.0 * at / 0.8)
    tail *= 1.4 / np.sqrt(np.sum(tail**2))
    tail[0] += 1.0
    far = scipy.signal.oaconvolve(VOICE, tail)[: len(VOICE)] + room(FLOOR, SECONDS, seed=3)
    found = found_in(far)["far_and_live"]
    assert found.action.startswith("Go closer first")
    assert not found.stops
    close = VOICE + 0.1 * (far - VOICE)
    assert "far_and_live" not in found_in(close)


def test_another_gate_is_told_by_the_steps_that_it_leaves():
    gate = GateSpec(
        threshold_dbfs=-58.0,
        hysteresis_db=2.0,
        ratio=100.0,
        range_db=25.0,
        attack_ms=1.0,
        hold_ms=120.0,
        release_ms=50.0,
        look_ahead_ms=0.8,
        sidechain_hz=100.0,
    )
    assert "another gate" in found_in(render([gate], CALM, rate_hz=RATE))["processed"].sentence


@pytest.mark.parametrize(("end_hz", "told"), [(7900.0, "7.1 kHz"), (3400.0, "3.5 kHz")])
def test_a_band_that_ends_like_a_wall_is_told(end_hz, told):
    spectrum = np.fft.rfft(CALM)
    spectrum[np.fft.rfftfreq(len(CALM), 1.0 / RATE) > end_hz] = 0.0
    found = found_in(np.fft.irfft(spectrum, len(CALM)))
    assert f"ends at about {told}" in found["band_limited"].sentence


def test_a_second_microphone_that_hears_the_voice_too_is_told():
    sound = CALM[: 20 * RATE]
    bleeding = 0.05 * np.roll(sound, 240) + room(FLOOR, 20.0, seed=10)
    for pair, own, other in (([sound, bleeding], 1, 2), ([bleeding, sound], 2, 1)):
        chosen, notes = voice_channel(np.stack(pair, axis=1), rate_hz=RATE)
        assert chosen == own
        found = {finding.code: finding for finding in noted(notes)}["channel_bleed"]
        assert f"Channel {other} hears your voice too" in found.sentence
        assert found.action.startswith("Mute the other")
    # A copy is no second microphone.
    chosen, notes = voice_channel(np.stack([sound, 0.3 * sound], axis=1), rate_hz=RATE)
    assert "channel_bleed" not in [note.code for note in notes]
