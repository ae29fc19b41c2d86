"""Clipped words and leaked noise of a gate."""

import numpy as np
import pytest

from bursts import LENGTHS, STARTS, words_at
from obsidian_wren.core.chain.gate import GateSpec
from obsidian_wren.core.chain.offline import render
from obsidian_wren.core.derive.gate_evidence import count, detector_trace, gains_of, shares
from obsidian_wren.core.derive.gate_opening import balance
from obsidian_wren.core.measure.words import find_words
from signals import RATE, noise


def gate(**changes):
    return GateSpec(
        **{
            "threshold_dbfs": -50.0,
            "hysteresis_db": 4.0,
            "ratio": 100.0,
            "range_db": 30.0,
            "attack_ms": 0.5,
            "hold_ms": 50.0,
            "release_ms": 50.0,
            "look_ahead_ms": 0.5,
            "sidechain_hz": 80.0,
            **changes,
        }
    )


def counted(spec, talk, room, clicks=()):
    hears, quiet = (detector_trace(x, None, spec.sidechain_hz, rate_hz=RATE) for x in (talk, room))
    words = find_words(talk, rate_hz=RATE, room_dbfs=-75.0)
    return count(spec, hears, quiet, words, np.array(clicks, dtype=float), rate_hz=RATE)


def test_a_gate_between_the_two_cuts_nothing_and_lets_nothing_through():
    found = counted(gate(), words_at() + noise(1e-4, 6.0), noise(1e-4, 10.0))
    assert (found.words, found.beginnings_cut, found.ends_cut) == (5, 0, 0)
    # It starts open and closes after its hold and release.
    assert found.room_let_through_s < 0.2
    assert found.room_s == pytest.approx(10.0, abs=0.01)


def test_words_with_soft_edges_are_cut_by_a_high_threshold_and_counted():
    """Two words of five begin 26 dB under the others for 80 ms, two end so for 120 ms."""
    sound = words_at()
    for start in (STARTS[1], STARTS[3]):
        sound[round(start * RATE) : round((start + 0.08) * RATE)] *= 0.05
    for start, length in ((STARTS[2], LENGTHS[2]), (STARTS[4], LENGTHS[4])):
        sound[round((start + length - 0.12) * RATE) : round((start + length) * RATE)] *= 0.05
    sound = sound + noise(1e-5, 6.0)
    harsh = counted(
        gate(threshold_dbfs=-28.0, hold_ms=0.0, release_ms=5.0), sound, noise(1e-4, 5.0)
    )
    assert (harsh.words, harsh.beginnings_cut, harsh.ends_cut) == (5, 2, 2)
    gentle = counted(gate(threshold_dbfs=-60.0, hold_ms=150.0), sound, noise(1e-4, 5.0))
    assert (gentle.beginnings_cut, gentle.ends_cut) == (0, 0)


def test_clicks_that_open_the_gate_are_counted_with_the_room_they_let_in():
    room = noise(1e-4, 10.0)
    times = (1.0, 3.0, 5.0, 7.0)
    for at, height in zip(times, (0.2, 0.2, 0.002, 0.2), strict=True):
        room[round(at * RATE) : round(at * RATE) + 480] += height * noise(0.3, 0.01)
    found = counted(gate(threshold_dbfs=-45.0), words_at(), room, times)
    assert (found.clicks, found.clicks_let_through) == (4, 3)
    assert 3 * 0.06 < found.room_let_through_s < 3 * 0.25 + 0.2


def test_gains_of_evidence_are_those_of_the_running_stage():
    sound = words_at() + noise(1e-4, 6.0)
    spec = gate(look_ahead_ms=0.0)
    hears = detector_trace(sound, None, spec.sidechain_hz, rate_hz=RATE)
    gains = gains_of(hears, spec, rate_hz=RATE)
    out = render([spec], sound, rate_hz=RATE)
    loud = np.abs(sound) > 1e-5
    at = np.minimum((np.arange(len(sound)) / RATE / hears.step_s).astype(int), len(gains) - 1)
    told = gains[at][loud]
    acted = 20 * np.log10(np.abs(out[loud]) / np.abs(sound[loud]))
    # The gain glides between control points, so they may differ on the steep flanks only.
    assert np.percentile(np.abs(told - acted), 97) < 0.5
    assert not gains_of(hears, gate(on=False), rate_hz=RATE).any()


def test_the_threshold_balances_the_errors_as_they_are_weighed():
    decibels = np.arange(-100.0, 0.0)
    bell = lambda middle, width: np.exp(-0.5 * ((decibels - middle) / width) ** 2)  # noqa: E731
    speech, room = bell(-30.0, 6.0), bell(-54.0, 6.0)
    under = lambda shares: np.concatenate([[0.0], np.cumsum(shares / shares.sum())])  # noqa: E731
    between = lambda speech, room, weight: balance(under(speech), 1 - under(room), weight)  # noqa: E731
    middle, cut, leaked = between(speech, room, 0.5)
    assert middle == pytest.approx(-42.0, abs=1.0)
    assert cut == pytest.approx(leaked, abs=0.01)
    words_first, cut_less, leaked_more = between(speech, room, 0.9)
    assert words_first < middle - 1.0
    assert cut_less < cut < leaked_more
    room_first, *_ = between(speech, room, 0.2)
    assert room_first > middle + 0.5
    apart = between(np.roll(speech, 5), np.roll(room, -20), 0.8)
    assert (apart[1], apart[2]) == pytest.approx((0.0, 0.0), abs=1e-3)


def test_distributions_share_out_all_the_time():
    sound = words_at() + noise(1e-4, 6.0)
    words = find_words(sound, rate_hz=RATE, room_dbfs=-75.0)
    speech_share = shares(detector_trace(sound, None, 80.0, rate_hz=RATE).inside(words))
    room_share = shares(detector_trace(noise(1e-4, 5.0), None, 80.0, rate_hz=RATE))
    assert speech_share.sum() == pytest.approx(1.0)
    assert room_share.sum() == pytest.approx(1.0)
    assert np.flatnonzero(room_share > 0.05).max() < np.flatnonzero(speech_share > 0.05).min()
