"""What pieces of a live microphone say together, on sounds of known truth."""

from dataclasses import replace

import numpy as np
import pytest
from scipy.signal import lfilter

from obsidian_wren.core.noticing.causes import live_causes
from obsidian_wren.core.noticing.change import live_change
from obsidian_wren.core.noticing.looking import Looking, is_unusual
from obsidian_wren.core.noticing.piece import PIECE_S, pieces_of, read_piece
from obsidian_wren.core.noticing.stretch import summed_up
from obsidian_wren.core.noticing.usual import BEFORE_ANY_DAY, usual_from, usual_today
from obsidian_wren.core.prove.sounding import VOICE_HZ
from signals import RATE, sine

FLOOR = 1e-4


def spoken(seconds, *, level=0.1, floor=FLOOR, seed=1, words=None):
    """Words of noise of a second, with pauses of as long, over a floor of noise."""
    rng = np.random.default_rng(seed)
    count = round(seconds * RATE)
    word = np.repeat(np.arange(round(seconds)) % 2 == 0, RATE)[:count]
    if words is not None:
        word &= np.repeat(words, RATE)[:count]
    # Words end as a room lets them: by 60 dB in 0.35 s.
    ring = 10.0 ** (-3.0 / (0.35 * RATE))
    shape = np.maximum(word, lfilter([1.0 - ring], [1.0, -ring], word.astype(float)))
    return shape * level * rng.standard_normal(count) + floor * rng.standard_normal(count)


def heard(samples, **given):
    return summed_up(pieces_of(samples, rate_hz=RATE), **given)


def test_the_voice_is_read_where_it_talks_and_the_room_between():
    found = heard(spoken(24.0))
    # White noise of an RMS of 0.1 in a third octave around 1 kHz: 10 lg(231.6/24000) under it.
    at = int(np.argmin(np.abs(VOICE_HZ - 1000.0)))
    assert found.voice_db[at] == pytest.approx(-20.0 - 20.16 + 3.01, abs=0.7)
    at = int(np.argmin(np.abs(found.noise_hz - 1000.0)))
    # A tenth of the moments of a steady noise of 79 degrees of freedom are lower than that.
    assert found.noise_db[at] == pytest.approx(-80.0 - 20.16 + 3.01 - 0.9, abs=0.7)


def test_a_rate_of_its_own_changes_nothing():
    slow = spoken(24.0)
    fast = np.repeat(slow, 2)
    found = summed_up(pieces_of(fast, rate_hz=2 * RATE))
    below = VOICE_HZ < 6000.0
    assert np.allclose(found.voice_db[below], heard(slow).voice_db[below], atol=0.8)


def test_sounds_of_a_moment_move_nothing():
    plain = spoken(40.0)
    samples = plain.copy()
    # A sneeze, a slammed door, somebody who says a word from far away.
    samples[RATE * 4 : RATE * 4 + RATE // 2] += np.random.default_rng(2).standard_normal(RATE // 2)
    samples[RATE * 9 : RATE * 9 + RATE // 5] += sine(60.0, -6.0, 0.2)
    samples[RATE * 13 : RATE * 14] += 0.005 * np.random.default_rng(3).standard_normal(RATE)
    moved, still = heard(samples), heard(plain)
    assert np.max(np.abs(moved.voice_db - still.voice_db)) < 0.8
    assert np.max(np.abs(moved.noise_db - still.noise_db)[4:]) < 1.0


def test_a_hum_is_told_from_the_room_it_stands_in():
    samples = spoken(24.0)
    hum = sum(sine(hz, -90.0, 24.0) for hz in (100.0, 150.0, 200.0))
    found, plain = heard(samples + hum), heard(samples)
    assert plain.hum_dbfs is None
    assert found.mains_hz == 50.0
    # Three sines of −90 dBFS.
    assert found.hum_dbfs == pytest.approx(-85.2, abs=0.7)
    # A line reaches a little over into the bands beside its own.
    assert np.max(np.abs(found.noise_db - plain.noise_db)) < 6.0


def test_too_little_talk_says_nothing():
    assert heard(np.zeros(0)) is None
    silent = FLOOR * np.random.default_rng(1).standard_normal(20 * RATE)
    assert heard(spoken(20.0, words=np.arange(20) == 0) + silent) is None


def test_the_gain_moves_both_and_nothing_else_is_unusual():
    then = heard(spoken(40.0, seed=1))
    now = heard(spoken(40.0, seed=2))
    assert not is_unusual(live_change(then, now))
    louder = heard(2.0 * spoken(40.0, seed=3))
    change = live_change(then, louder)
    assert is_unusual(change)
    assert np.median(change.db[change.voice]) == pytest.approx(6.02, abs=0.3)
    assert np.median(change.db[change.noise]) == pytest.approx(6.02, abs=0.3)


def test_a_gain_moves_the_voice_as_well_as_the_room():
    then = heard(spoken(40.0))
    # A converter's own noise stays where it is.
    risen = 5.0 * (then.noise_hz < 6000.0) + 2.0 * (then.noise_hz >= 6000.0)
    today = usual_today(BEFORE_ANY_DAY, [np.zeros(len(live_change(then, then).db))] * 9)
    fan = replace(then, noise_db=then.noise_db + risen)
    assert live_causes(live_change(then, fan, today)).causes[0].code == "noise"
    turned = replace(fan, voice_db=then.voice_db + 5.0)
    gain = live_causes(live_change(then, turned, today)).causes[0]
    assert gain.code == "gain"
    assert gain.estimate == pytest.approx(5.0, abs=0.6)


def test_what_is_usual_moves_towards_the_talker_with_each_day():
    numbers = len(VOICE_HZ) + 30 + 4
    steady = [np.full(numbers, 1.5) for _ in range(20)]
    known = usual_from(steady)
    assert 0.6 * BEFORE_ANY_DAY.level_db <= known.level_db < 0.75 * BEFORE_ANY_DAY.level_db
    assert known.offset_db[0] == pytest.approx(1.5 * 20 / 24)
    rng = np.random.default_rng(4)
    restless = usual_from([np.full(numbers, 4.0 * rng.standard_normal()) for _ in range(30)])
    assert 3.0 < restless.level_db < 5.0
    today = usual_today(restless, [np.full(numbers, 6.0)] * 12)
    assert today.level_db < 1.6
    assert today.offset_db[0] > 5.0


def test_digital_silence_and_clipping_are_told_while_they_last():
    looking = Looking(heard(spoken(24.0)))
    size = round(PIECE_S * RATE)
    for _ in range(4):
        looking.add(read_piece(np.zeros(size), rate_hz=RATE))
    assert looking.fault == "silent"
    for _ in range(4):
        looking.add(read_piece(np.clip(20.0 * spoken(PIECE_S), -1.0, 1.0), rate_hz=RATE))
    assert looking.fault == "clipped"
    for _ in range(20):
        looking.add(read_piece(spoken(PIECE_S), rate_hz=RATE))
    assert looking.fault is None
