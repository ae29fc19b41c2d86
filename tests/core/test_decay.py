"""A room's decay, from claps, sweeps and words; its reduction."""

import numpy as np
import pytest
import scipy.signal

from bursts import words_at
from moving_noise import moving
from obsidian_wren.core.chain.offline import render
from obsidian_wren.core.chain.ring_reduction import RingReductionSpec, late_share
from obsidian_wren.core.measure.decay import (
    response_from_sweep,
    ring_of_response,
    sweep_signal,
)
from obsidian_wren.core.measure.ring_of_speech import ring_of_speech
from signals import RATE, noise, voice


def room_answer(decay_s, direct_db, *, seconds=2.0, seed=1):
    """A direct impulse and an exponential tail of noise: the decay and the share are known."""
    at = np.arange(round(seconds * RATE)) / RATE
    tail = np.random.default_rng(seed).standard_normal(len(at)) * 10 ** (-3.0 * at / decay_s)
    tail[: round(0.005 * RATE)] = 0.0
    tail *= 10 ** (-direct_db / 20) / np.sqrt(np.sum(tail**2))
    tail[0] = 1.0
    return tail


@pytest.mark.parametrize("decay_s", [0.2, 0.5, 1.2])
@pytest.mark.parametrize("direct_db", [0.0, 10.0])
def test_decay_and_share_of_a_known_room(decay_s, direct_db):
    answer = np.concatenate(
        [np.zeros(4800), room_answer(decay_s, direct_db), np.zeros(RATE)]
    ) + noise(1e-7, 3.1)
    ring = ring_of_response(answer, rate_hz=RATE)
    assert ring.decay_s == pytest.approx(decay_s, rel=0.06)
    assert ring.ring_share_db == pytest.approx(-direct_db, abs=1.0)
    assert [octave.centre_hz for octave in ring.octaves] == [250, 500, 1000, 2000, 4000, 8000]
    assert all(octave.range == "T30" for octave in ring.octaves)


def test_several_claps_are_averaged_and_noise_shortens_the_range():
    one = room_answer(0.4, 6.0, seconds=1.9)
    claps = np.concatenate([np.zeros(9600), one, room_answer(0.4, 6.0, seconds=1.9, seed=2)])
    assert ring_of_response(claps, rate_hz=RATE).decay_s == pytest.approx(0.4, rel=0.06)
    noisy = ring_of_response(claps + noise(1.5e-4, len(claps) / RATE), rate_hz=RATE)
    assert noisy.decay_s == pytest.approx(0.4, rel=0.15)
    assert any(octave.range == "T20" for octave in noisy.octaves)
    assert ring_of_response(claps + noise(0.05, len(claps) / RATE), rate_hz=RATE) is None


def test_a_sweep_is_folded_back_into_the_room():
    sweep = sweep_signal(rate_hz=RATE, level=0.3)
    heard = np.convolve(
        np.pad(sweep, (2400, 2 * RATE)), room_answer(0.6, 3.0, seconds=1.5)[: RATE // 2]
    )
    ring = ring_of_response(
        response_from_sweep(heard, sweep, rate_hz=RATE), rate_hz=RATE, method="sweep"
    )
    assert ring.method == "sweep"
    assert ring.decay_s == pytest.approx(0.6, rel=0.12)


def in_room(decay_s, share_db):
    """A voice whose room is known: decay in s and reverberant over direct power in dB."""
    spoken = voice()[: 30 * RATE]
    wet = scipy.signal.oaconvolve(spoken, room_answer(decay_s, -share_db, seconds=1.5 * decay_s))
    wet = wet[: len(spoken)]
    return wet + noise(1e-3 * float(np.sqrt(np.mean(wet**2))), 30.0)


@pytest.mark.parametrize("decay_s", [0.6, 0.9])
@pytest.mark.parametrize("share_db", [-6.0, 0.0])
def test_the_falls_of_a_voice_tell_the_room_that_it_is_in(decay_s, share_db):
    found = ring_of_speech(in_room(decay_s, share_db), rate_hz=RATE)
    assert found.method == "speech ends"
    assert found.ring_share_db == pytest.approx(share_db, abs=3.5)
    if share_db > -3.0:
        assert found.decay_s == pytest.approx(decay_s, rel=0.2)
        assert 0.1 < found.decay_error_s / found.decay_s < 0.4
    assert found.far_and_live == (share_db == 0.0)


def test_in_noise_a_voice_tells_nothing_of_the_room():
    wet = in_room(0.6, 0.0)
    hiss = noise(0.7 * float(np.sqrt(np.mean(wet**2))), 30.0)
    assert ring_of_speech(wet + hiss, rate_hz=RATE) is None


def test_a_street_behind_a_voice_is_no_room_that_decays_for_seconds():
    wet = in_room(0.6, 0.0)
    street = float(np.sqrt(np.mean(wet**2))) * moving("street", 4, 30.0)
    for under_db in (3.0, 10.0):
        found = ring_of_speech(wet + 10 ** (-under_db / 20) * street, rate_hz=RATE)
        told_s = None if found is None else found.decay_s
        assert told_s is None or told_s < 0.9


def test_a_voice_close_by_tells_no_decay_and_a_short_one_nothing():
    found = ring_of_speech(in_room(0.6, -18.0), rate_hz=RATE)
    assert (found.decay_s, found.far_and_live) == (None, False)
    assert found.ring_share_db < -9.0
    assert ring_of_speech(voice()[: 2 * RATE], rate_hz=RATE) is None
    assert ring_of_speech(np.zeros(100), rate_hz=RATE) is None


def test_the_ring_is_held_and_the_dry_voice_is_not():
    dry = words_at()
    wet = scipy.signal.oaconvolve(dry, room_answer(0.8, 0.0, seconds=1.2))[: len(dry)]
    spec = RingReductionSpec(12.0, 0.8, 0.0)
    pauses = slice(round(3.30 * RATE), round(3.9 * RATE))
    held = render([spec], wet, rate_hz=RATE)
    assert 10 * np.log10(np.mean(wet[pauses] ** 2) / np.mean(held[pauses] ** 2)) > 6.0
    inside = slice(round(0.5 * RATE), round(0.62 * RATE))
    assert 10 * np.log10(np.mean(held[inside] ** 2) / np.mean(wet[inside] ** 2)) > -2.0
    spoken = voice("passage")[: 10 * RATE]
    kept = render([RingReductionSpec(12.0, 0.25, -14.0)], spoken, rate_hz=RATE)
    assert abs(10 * np.log10(np.mean(kept**2) / np.mean(spoken**2))) < 0.3


def test_the_late_share_follows_decay_and_distance():
    assert 10 * np.log10(late_share(0.48, 100.0)) == pytest.approx(-6.0, abs=0.01)
    assert 10 * np.log10(late_share(0.48, 0.0)) == pytest.approx(-9.01, abs=0.01)
    assert late_share(0.2, 0.0) < late_share(1.0, 0.0)
