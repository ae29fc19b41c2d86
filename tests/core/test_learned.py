"""What the learned stage takes of what moves, and what it leaves of a voice."""

import numpy as np
import pytest
import scipy

from moving_noise import moving
from obsidian_wren.core.chain.learned import LearnedSpec, taken_and_kept
from obsidian_wren.core.chain.offline import render
from obsidian_wren.core.measure.levels import frame_levels_dbfs, rms_dbfs
from signals import RATE, noise, sine, voice

SPEC = LearnedSpec(range_db=24.0, quiet_dbfs=-75.0, under_voice_db=24.0)
ROOM = 2e-5


def through(sound, spec=SPEC):
    return render([spec], sound, rate_hz=RATE)


def at(kind, level_dbfs, seconds, seed=3):
    sound = moving(kind, seed, seconds)
    return sound * 10.0 ** ((level_dbfs - rms_dbfs(sound)) / 20.0)


@pytest.mark.parametrize(
    "kind, least_db",
    [("keys", 7.0), ("mouse", 12.0), ("thumps", 6.0), ("street", 18.0), ("music", 8.0)],
)
def test_what_moves_falls_where_nobody_talks(kind, least_db):
    sound = at(kind, -45.0, 8.0) + noise(ROOM, 8.0)
    left = through(sound)
    assert rms_dbfs(sound[RATE:]) - rms_dbfs(left[RATE:]) >= least_db
    # No further than it may, but for what overlapping frames do to one another.
    was, after = (frame_levels_dbfs(x, rate_hz=RATE, frame_s=0.5) for x in (sound, left))
    assert (was - after).max() <= SPEC.range_db + 4.0


def test_a_clean_voice_passes_as_it_came():
    sound = voice()[: 12 * RATE] + noise(ROOM, 12.0)
    left = through(sound)
    assert rms_dbfs(left - sound) <= rms_dbfs(sound) - 25.0
    frames = [frame_levels_dbfs(x, rate_hz=RATE, frame_s=0.02) for x in (sound, left)]
    spoken = frames[0] > rms_dbfs(sound) - 10.0
    assert np.median(np.abs(frames[0] - frames[1])[spoken]) < 0.1


def test_an_s_stays_an_s():
    sections = scipy.signal.butter(6, 8_000.0, "highpass", fs=RATE, output="sos")
    sound = voice()[: 12 * RATE] + noise(ROOM, 12.0)
    before, after = (scipy.signal.sosfilt(sections, x) for x in (sound, through(sound)))
    assert rms_dbfs(before) - rms_dbfs(after) <= 0.5


def test_nothing_that_is_quiet_enough_is_taken():
    sound = at("street", -90.0, 4.0)
    assert np.abs(through(sound) - sound).max() < 1e-12


def test_behind_a_loud_word_the_room_does_not_come_back():
    fan, word = noise(1e-3, 4.0), np.zeros(4 * RATE)
    # Somebody talks for two seconds, 40 dB over a fan that counts as what moves.
    word[RATE : 3 * RATE] = voice()[RATE : 3 * RATE]
    word *= 10.0 ** ((rms_dbfs(fan) + 40.0 - rms_dbfs(word[RATE : 3 * RATE])) / 20.0)
    left = through(word + fan)
    pause = slice(round(3.4 * RATE), round(3.8 * RATE))
    assert rms_dbfs(left[pause]) <= rms_dbfs(fan[pause]) - 15.0


def test_it_goes_out_again_when_what_moves_has_ended():
    quiet = noise(ROOM, 8.0)
    sound = quiet + np.concatenate([at("street", -40.0, 2.0), np.zeros(6 * RATE)])
    left = through(sound)
    assert rms_dbfs(left[RATE : 2 * RATE]) < rms_dbfs(sound[RATE : 2 * RATE]) - 15.0
    late = slice(round(7.5 * RATE), None)
    assert np.abs(left[late] - sound[late]).max() < 1e-9


def test_what_is_taken_and_kept_is_told_as_levels():
    sine_dbfs = -30.0
    sound = sine(1000.0, sine_dbfs, 4.0)
    taken, kept, step_s = taken_and_kept(sound, rate_hz=RATE)
    # A tone is no voice: whatever is made of it, both together hold it.
    later = slice(round(1.0 / step_s), -3)
    whole = 10.0 * np.log10((np.sqrt(taken) + np.sqrt(kept))[later] ** 2)
    assert np.median(whole) == pytest.approx(sine_dbfs, abs=1.5)
    assert step_s == pytest.approx(0.016)
