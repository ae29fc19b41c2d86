"""Resonances of a room whose truth is made here, and what the tone does about them."""

import numpy as np
import pytest
import scipy.signal

from obsidian_wren.core.chain.filters import EqualizerBand, band_section
from obsidian_wren.core.derive.tone import derive_tone
from obsidian_wren.core.derive.tone_problem import ToneAims
from obsidian_wren.core.measure.decay import ring_of_response
from obsidian_wren.core.measure.readings import read_quiet, read_talk
from obsidian_wren.core.measure.room_modes import RoomMode, find_modes
from signals import RATE, room, voice


def clap_in_room(*modes, decay_s=0.4, seed=1):
    """A clap in a diffuse room, with single lines of known frequency and decay beside it."""
    at = np.arange(2 * RATE) / RATE
    rng = np.random.default_rng(seed)
    tail = rng.standard_normal(len(at)) * 10.0 ** (-3.0 * at / decay_s)
    tail *= 0.5 / np.sqrt(np.sum(tail**2))
    tail[0] = 1.0
    for hz, lasts_s in modes:
        tail += 0.005 * np.sin(2.0 * np.pi * hz * at) * 10.0 ** (-3.0 * at / lasts_s)
    return np.concatenate([np.zeros(4800), tail]) + 1e-5 * rng.standard_normal(len(at) + 4800)


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_lines_that_ring_on_are_found_with_their_decay(seed):
    found = find_modes(clap_in_room((118.0, 1.1), (240.0, 0.9), seed=seed), rate_hz=RATE)
    assert sorted(mode.frequency_hz for mode in found) == pytest.approx([118.0, 240.0], abs=1.0)
    for mode in found:
        assert mode.decay_s == pytest.approx(1.1 if mode.frequency_hz < 200.0 else 0.9, rel=0.1)
        assert mode.adds_db > 6.0


@pytest.mark.parametrize("decay_s", [0.25, 0.6])
def test_a_room_without_any_has_none(decay_s):
    assert find_modes(clap_in_room(decay_s=decay_s), rate_hz=RATE) == ()
    assert find_modes(np.zeros(100), rate_hz=RATE) == ()


def test_a_clap_tells_them_with_the_reverb():
    ring = ring_of_response(clap_in_room((150.0, 1.2)), rate_hz=RATE)
    assert [round(mode.frequency_hz) for mode in ring.modes] == [150]


def tone_of(boost_db, modes):
    """The tone of a talker whose room adds so much at one narrow place."""
    bell = band_section(EqualizerBand("peak", 240.0, boost_db, 6.0), rate_hz=RATE)
    sound = scipy.signal.sosfilt(bell[None, :], voice("passage")) if boost_db else voice("passage")
    talk = sound + room(2e-4, len(sound) / RATE, seed=5)
    quiet = read_quiet(room(2e-4), rate_hz=RATE)
    reading = read_talk(talk, rate_hz=RATE, quiet=quiet)
    return derive_tone(reading, quiet, None, aims=ToneAims(modes=modes))


MODE = RoomMode(240.0, 0.8, 20.0, 5.0)


def test_a_narrow_cut_stands_only_where_the_decay_shows_a_resonance():
    with_clap = [named.band for named in tone_of(8.0, (MODE,)).bands]
    narrow = [band for band in with_clap if band.q > 3.0]
    assert [round(band.frequency_hz) for band in narrow] == [240]
    assert -9.0 <= narrow[0].gain_db <= -3.0
    assert narrow[0].q <= 6.0
    assert all(named.band.q <= 3.0 for named in tone_of(8.0, ()).bands)


def test_a_resonance_that_the_voice_does_not_show_is_left_alone():
    flat, boosted = (tone_of(db, (MODE,)) for db in (-3.0, 8.0))
    assert not [named for named in flat.bands if named.band.q > 3.0]
    known = {line.name: line for line in boosted.known}["Room resonances"]
    assert known.given
    assert "240 Hz" in known.sentence
