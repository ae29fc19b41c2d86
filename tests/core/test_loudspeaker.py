"""What a loudspeaker plays, taken out of a microphone: a known way, late by a known time, by a
clock that is off by a known amount."""

from dataclasses import replace
from functools import cache

import numpy as np
import pytest
import scipy.signal

from obsidian_wren.core.loudspeaker.deciding import decide, loudspeaker_facts, removal_delay_ms
from obsidian_wren.core.loudspeaker.echo_path import EchoPath
from obsidian_wren.core.loudspeaker.removal import LoudspeakerRemoval
from obsidian_wren.core.mix.resampling import Resampler
from obsidian_wren.simulation.computer import StandInComputer, first_settings
from signals import RATE, noise, sine, voice

BLOCK = 480
LATE_S = 0.14


def db(sound):
    return 10.0 * np.log10(np.mean(np.square(sound)) + 1e-20)


def way(seed=1, decay_s=0.12):
    rng = np.random.default_rng(seed)
    count = round(decay_s * RATE)
    late = rng.standard_normal(count) * 10.0 ** (-3.0 * np.arange(count) / count)
    late *= 0.3 / np.sqrt(np.sum(late**2))
    late[90] += 0.3
    return late


@cache
def played(seconds=8.0):
    return voice("passage")[: round(seconds * RATE)]


def arrives(sound, *, ppm=0.0, late_s=LATE_S, seed=1):
    there = scipy.signal.oaconvolve(sound, way(seed))[: len(sound)]
    if ppm:
        clock = Resampler(from_hz=RATE, to_hz=RATE)
        clock.ratio = 1.0 + ppm * 1e-6
        held = round(clock.delay_samples)
        there = clock.process(np.concatenate([there, np.zeros(2 * held)])[:, None])[:, 0]
        late_s -= held / RATE
    late = round(late_s * RATE)
    there = np.concatenate([np.zeros(late), there, np.zeros(len(sound))])
    return there[: len(sound)]


def through(heard, aloud, sizes=(BLOCK,)):
    removal = LoudspeakerRemoval(rate_hz=RATE)
    out, at = [], 0
    while at < len(heard):
        end = at + sizes[len(out) % len(sizes)]
        out.append(removal.process(heard[at:end], aloud[at:end]))
        at = end
    return np.concatenate(out), removal


def last(sound, seconds=2.0):
    return sound[-round(seconds * RATE) :]


@pytest.mark.parametrize("ppm", [0.0, 45.0, -45.0])
def test_its_way_its_lag_and_its_clock_are_found(ppm):
    heard = arrives(played(), ppm=ppm)
    left, removal = through(heard, played())
    assert db(last(heard)) - db(last(left)) > 22.0
    assert removal.lag_s == pytest.approx(LATE_S + 90 / RATE, abs=0.005)
    assert removal.drift_ppm == pytest.approx(-ppm, abs=4.0)
    assert removal.lowered_db > 15.0


def test_the_near_voice_stays_while_both_talk():
    near = np.roll(voice("talk")[: len(played())], RATE // 3) * 2.0
    heard = arrives(played())
    left, removal = through(near + heard, played())
    delay = removal.delay_samples
    rest = last(left) - last(near[: len(near) - delay])
    assert db(last(heard)) - db(rest) > 8.0


def test_who_talks_on_over_it_for_long_keeps_the_voice_and_its_clock_is_found():
    seconds = 40
    aloud = np.tile(played(), 5)[: seconds * RATE]
    near = np.resize(np.roll(voice("talk"), RATE // 3), len(aloud))
    heard = arrives(aloud, ppm=40.0)
    near = near * np.std(heard) / np.std(near) * 10.0 ** (12.0 / 20.0)
    left, removal = through(near + heard, aloud)
    rest, said = last(left, 8.0), last(near[: len(near) - removal.delay_samples], 8.0)
    assert float(rest @ said / (said @ said)) == pytest.approx(1.0, abs=0.03)
    assert db(last(heard, 8.0)) - db(rest - said) > 6.0
    assert removal.drift_ppm == pytest.approx(-40.0, abs=8.0)


def test_any_size_of_block_gives_the_same():
    heard = arrives(played(3.0)) + noise(1e-4, 3.0)
    whole, _ = through(heard, played(3.0))
    pieces, _ = through(heard, played(3.0), sizes=(480, 77, 1, 1200, 333))
    # What is learned is held in single precision.
    assert np.abs(pieces - whole).max() < 1e-5


@pytest.mark.parametrize("aloud", [np.zeros(3 * RATE), voice("passage")[: 3 * RATE]])
def test_a_voice_passes_as_it_is_where_nothing_of_what_plays_is_heard(aloud):
    near = voice("talk")[: 3 * RATE]
    left, removal = through(near, aloud)
    assert removal.lag_s is None
    assert removal.lowered_db is None
    delay = removal.delay_samples
    assert np.abs(left[delay:] - near[: len(near) - delay]).max() < 1e-9


def test_two_tones_agree_on_no_lag_and_nothing_of_what_plays_gets_into_the_voice():
    near, aloud = sine(500.0, -20.0, 8.0), sine(3000.0, -23.0, 8.0)
    near[::RATE] = 0.0
    aloud[: 2 * RATE] = 0.0
    left, removal = through(near, aloud)
    assert removal.lag_s is None
    delay = removal.delay_samples
    assert np.abs(left[delay:] - near[: len(near) - delay]).max() < 1e-9


def test_a_microphone_that_falls_silent_is_silence():
    sound = played(6.0)
    heard = arrives(sound)
    heard[4 * RATE :] = 0.0
    left, removal = through(heard, sound)
    assert removal.lag_s is not None
    assert np.all(np.isfinite(left))
    assert db(last(left, 1.0)) < db(last(sound, 1.0)) - 20.0


def test_a_loudspeaker_that_is_moved_is_learned_again():
    sound = played(16.0)
    heard = np.concatenate([arrives(sound)[: 6 * RATE], arrives(sound, seed=2)[6 * RATE :]])
    left, removal = through(heard, sound)
    delay = removal.delay_samples
    right_after = slice(6 * RATE, 7 * RATE)
    fall = db(heard[right_after]) - db(left[delay:][right_after])
    assert db(last(heard)) - db(last(left)) > max(18.0, fall + 6.0)


def test_one_side_may_get_ahead_by_a_block_and_nothing_is_learned_anew():
    path = EchoPath(rate_hz=RATE)
    sound = noise(0.1, 4.0)
    heard = scipy.signal.oaconvolve(sound, way(decay_s=0.05))[: len(sound)]
    heard = np.concatenate([np.zeros(3 * BLOCK), heard])
    path.begin(0.2, late_blocks=3)
    blocks = list(
        zip(sound.reshape(-1, BLOCK), heard[: len(sound)].reshape(-1, BLOCK), strict=True)
    )
    for aloud, now in blocks[:300]:
        path.play(aloud)
        left, _ = path.step(now)
    assert db(now) - db(left) > 30.0
    # The next block of what is played is missing: it comes with the one after.
    path.late_blocks -= 1
    falls = []
    for aloud, now in blocks[300:320]:
        left, _ = path.step(now)
        falls.append(db(now) - db(left))
        path.play(aloud)
    assert min(falls) > 25.0


LOUD = next(
    device
    for device in StandInComputer().devices(first_settings())
    if device.kind == "loudspeakers"
)


def test_it_is_taken_out_where_a_loudspeaker_plays_and_it_is_known_what():
    on = decide([LOUD], known_from="computer", wanted=None)
    assert (on.on, on.derived, on.pinned, on.known_from) == (True, True, False, "computer")
    assert "Headphones are better" in on.because
    worn = decide([replace(LOUD, kind="headphones")], known_from="computer", wanted=None)
    assert (worn.on, worn.known_from) == (False, "")
    assert not decide([LOUD], known_from="returns", wanted=None, stands_in_room=False).on
    assert not decide([replace(LOUD, present=False)], known_from="computer", wanted=None).on
    unknown = decide([LOUD], known_from="", wanted=True)
    assert (unknown.on, unknown.because[:16]) == (False, "Nothing is known")


def test_a_person_may_hold_it():
    off = decide([LOUD], known_from="computer", wanted=False)
    assert (off.on, off.derived, off.pinned) == (False, True, True)
    on = decide([replace(LOUD, kind="headphones")], known_from="computer", wanted=True)
    assert (on.on, on.derived, on.pinned) == (True, False, True)


def test_what_is_said_of_it():
    found, delay = loudspeaker_facts(late_ms=61.0, lowered_db=28.4, drift_ppm=-12.2, delay_ms=22.9)
    assert (found.value, found.mark) == ("−28 dB", "good")
    assert "61 ms" in found.sentence and "−12 parts" in found.sentence
    assert delay.value == "+23 ms"
    nothing = loudspeaker_facts(late_ms=None, lowered_db=None, drift_ppm=0.0, delay_ms=22.9)[0]
    assert nothing.value == "not found"


@pytest.mark.parametrize("rate", [44_100, 48_000, 96_000])
def test_its_delay_is_told_before_it_is_loaded(rate):
    real = 1000.0 * LoudspeakerRemoval(rate_hz=rate).delay_samples / rate
    assert removal_delay_ms(rate) == pytest.approx(real, abs=1e-9)
