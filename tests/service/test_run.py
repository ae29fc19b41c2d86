"""The live run on a stream and listeners made for the test."""

import os
import sys
import threading

import numpy as np
import pytest

from markers import arrived
from obsidian_wren.core.chain.gain import GainSpec
from obsidian_wren.core.chain.limiter import LimiterSpec
from obsidian_wren.core.chain.noise_reduction import NoiseReductionSpec
from obsidian_wren.core.derive.noise_reduction import profile_rows
from obsidian_wren.core.measure.noise_profile import noise_profile
from obsidian_wren.core.mix.ducking import Ducking
from obsidian_wren.core.mix.engine import Mix, MixSend
from obsidian_wren.core.mix.marker import MarkerSearch, feed_path, marker_codes
from obsidian_wren.core.mix.ring import Ring
from obsidian_wren.devices.browser import BrowserStream
from obsidian_wren.ports.world import ProgramSettings, SourceGone
from obsidian_wren.voice import pace as pace_module
from obsidian_wren.voice import run as run_module
from obsidian_wren.voice.loop import Loop
from obsidian_wren.voice.pace import Pacing
from obsidian_wren.voice.paths import ReturnPath, Seat, VoicePath
from obsidian_wren.voice.run import LiveRun
from signals import RATE, noise, sine
from waiting import PATIENCE_S, Clock, wait_until


class Ear:
    """A program that keeps everything it hears, by our own clock."""

    kind = "call"
    rate_hz = takes_hz = RATE
    settings = ProgramSettings()
    gives_back = False
    returned_position = 0
    by_its_clock = True
    listens = True
    gaps = 0
    delay_s = 0.0

    def __init__(self, name, picks):
        self.name, self.picks, self.blocks = name, picks, []
        self.probe = self.returns = self

    def wants(self, elapsed_s):
        return round(elapsed_s * RATE)

    def hear(self, block):
        self.blocks.append(block.mean(axis=1))

    @property
    def position(self):
        return sum(len(block) for block in self.blocks)

    def heard_since(self, position):
        return np.concatenate([*self.blocks, np.zeros(0)])[max(0, position) :]

    def returned_since(self, position):
        return np.zeros(0)

    def close(self):
        """It has nothing to let go of."""


SIX_UP = (GainSpec(6.0),)
DUCKING = Ducking(-40.0, 15.0, 250.0, 400.0)


def run_of(stream, ears, *, chain=SIX_UP, tell=lambda *_: None, speed=None, urgent=False, **more):
    """A run in which every ear has a mix of its own that is the treated voice as it is."""
    seats = [
        Seat(ear.name, number, ear, own_feed=f"feed {ear.name}", rate_hz=RATE, channels=1)
        for number, ear in enumerate(ears)
    ]
    mixes = [Mix(ear.name, (MixSend("voice treated", 0.0),), 1, 0.0) for ear in ears]
    inputs = {"raw device": "voice at once"} | {
        f"feed {ear.name}": f"mix {ear.name}" for ear in ears
    }
    return LiveRun(
        [VoicePath("voice", stream, chain)],
        seats,
        inputs,
        mixes,
        ducking=DUCKING,
        tell=tell,
        pacing=Pacing(speed, urgent),
        **more,
    )


def make(sound, *ears, chain=SIX_UP, told=None):
    tell = (lambda kind, body: told.append((kind, body))) if told is not None else (lambda *_: None)
    return run_of(Loop(sound, RATE), ears, chain=chain, tell=tell)


def step_through(run, sound, block=480):
    return np.concatenate(
        [run.step({"voice": sound[first : first + block]}) for first in range(0, len(sound), block)]
    )


def aligned(heard, sound, delay):
    return heard[delay:], sound[: len(heard) - delay]


def test_headphones_that_nothing_takes_hear_nothing_late():
    """What comes while no output is open is let go; afterwards it is what is said just then."""
    ear = Ear("ear", "feed ear")
    ear.listens = False
    run = make(np.zeros(RATE), ear, chain=())
    step_through(run, np.full(RATE, 0.5))
    assert ear.position == 0
    ear.listens = True
    step_through(run, sine(1000.0, -20.0, 1.0))
    heard = ear.heard_since(0)
    # What the mix itself holds back comes first.
    assert np.abs(heard[RATE // 20 :]).max() < 0.2
    assert np.abs(heard[-RATE // 2 :]).max() == pytest.approx(0.1, rel=0.01)


def test_each_listener_hears_what_it_picked():
    sound = noise(0.05, 1.0)
    raw, fed, lost = Ear("a", "raw device"), Ear("b", "feed b"), Ear("c", None)
    run = make(sound, raw, fed, lost)
    step_through(run, sound)
    edge = round(run.seats[0].edge.delay_s * RATE)
    heard, sent = aligned(raw.heard_since(0), sound, edge)
    # The edge's filter ends at 20 kHz; noise goes further.
    assert np.corrcoef(heard, sent)[0, 1] > 0.9
    mix = round(run.delay_of(run.seats[1]).mix_ms * RATE / 1000)
    treated, same = aligned(fed.heard_since(0), sound, edge + mix)
    assert np.corrcoef(treated, same)[0, 1] > 0.9
    assert np.std(treated) / np.std(heard) == pytest.approx(10 ** (6 / 20), rel=0.02)
    assert not lost.heard_since(0).any()


def sent_codes(run, feed_lufs):
    numbers = {seat.key: seat.number for seat in run.seats}
    return marker_codes(numbers, -45.0, feed_lufs, rate_hz=run.rate_hz)


def keep_in(found):
    done = threading.Event()

    def keep(results):
        found.update(results)
        done.set()

    return keep, done


def delay_of(heard, path):
    found = getattr(arrived(heard.heard, -45.0), path)
    return found.delay_samples if found else None


def test_the_marker_goes_into_every_path_once_and_each_feed_has_its_own():
    sound = noise(0.01, 6.0)
    raw, fed = Ear("a", "raw device"), Ear("b", "feed b")
    run = make(sound, raw, fed, chain=(GainSpec(6.0), LimiterSpec(-3.0, 100.0)))
    found = {}
    keep, done = keep_in(found)
    step_through(run, sound[:RATE])
    run.send_marker(sent_codes(run, {"a": -20.0, "b": -20.0}), keep)
    assert run.marker_in_flight
    step_through(run, sound[RATE:])
    assert done.wait(PATIENCE_S)
    assert not run.marker_in_flight
    edge = run.seats[0].edge.delay_s * RATE
    assert delay_of(found["a"], "raw") == pytest.approx(edge, abs=2)
    assert delay_of(found["a"], "treated") is None
    ours = run.delay_of(run.seats[1])
    assert delay_of(found["b"], "treated") == pytest.approx(
        ours.after_block_ms * RATE / 1000, abs=3
    )
    search = MarkerSearch(found["b"].heard, rate_hz=RATE)
    codes = [search.find(feed_path(number), sent_level_dbfs=-44.0) for number in range(4)]
    assert [code is not None for code in codes] == [False, True, False, False]
    assert (
        MarkerSearch(found["a"].heard, rate_hz=RATE).find(feed_path(0), sent_level_dbfs=-44.0)
        is None
    )


def test_a_marker_asked_for_in_the_middle_of_a_block_is_not_late_by_that_block():
    class Asks(Ear):
        def hear(self, block):
            if len(self.blocks) == 50:
                # The run has this block done but not given yet, as when a request comes from
                # another thread.
                run.send_marker(sent_codes(run, {}), keep)
            super().hear(block)

    found = {}
    keep, done = keep_in(found)
    sound, ear = noise(0.01, 5.0), Asks("a", "raw device")
    run = make(sound, ear)
    step_through(run, sound)
    assert done.wait(20)
    assert delay_of(found["a"], "raw") == pytest.approx(run.seats[0].edge.delay_s * RATE, abs=2)


def test_a_changed_chain_takes_over_in_one_fade_without_a_step():
    sound = sine(200, -20.0, 1.0)
    ear = Ear("b", "feed b")
    run = make(sound, ear, chain=(GainSpec(0.0),))
    step_through(run, sound[: RATE // 2])
    run.change_chain((GainSpec(-20.0),))
    step_through(run, sound[RATE // 2 :])
    heard = ear.heard_since(0)
    assert np.abs(heard[-480:]).max() == pytest.approx(0.01, rel=0.02)
    assert np.abs(heard[: RATE // 2]).max() == pytest.approx(0.1, rel=0.01)
    assert np.abs(np.diff(heard)).max() < 1.5 * np.abs(np.diff(sound)).max()


def test_a_source_that_ends_stops_the_run_with_its_sentence():
    class Ends:
        rate_hz = RATE

        def read(self, count):
            raise SourceGone("The source went away.")

        def close(self):
            self.closed = True

    stream = Ends()
    run = run_of(stream, (), chain=(), speed=1.0)
    run.start()
    assert run.finished.wait(PATIENCE_S)
    assert run.stopped_why == "The source went away."
    assert stream.closed


def test_a_failure_inside_never_reaches_a_listener_as_noise():
    class Broken:
        rate_hz = RATE

        def read(self, count):
            return np.full(count, np.nan)

        def close(self):
            pass

    ear = Ear("b", "feed b")
    run = run_of(Broken(), (ear,))
    run.start()
    wait_until(lambda: ear.blocks)
    run.stop()
    assert not np.concatenate(ear.blocks).any()


def test_one_broken_listener_is_told_once():
    told = []
    good, bad = Ear("good", "feed good"), Ear("bad", "feed bad")
    bad.hear = lambda block: (_ for _ in ()).throw(OSError("disk full"))
    sound = noise(0.05, 0.5)
    run = make(sound, bad, good, told=told)
    step_through(run, sound)
    assert good.position == len(sound)
    assert [kind for kind, _ in told] == ["trouble"]


def test_a_paced_run_keeps_to_the_clock(monkeypatch):
    clock, told, ear = Clock(), [], Ear("b", "feed b")
    for module in (run_module, pace_module):
        monkeypatch.setattr(module, "time", clock)
    run = run_of(
        Loop(noise(0.05, 1.0), RATE), (ear,), chain=(), tell=lambda k, b: told.append(k), speed=1.0
    )
    began = clock.now
    run.start()
    wait_until(lambda: ear.position >= RATE)
    run.stop()
    # As much sound as time, but for the block that is on its way and what loads with the first.
    assert ear.position / RATE == pytest.approx(clock.now - began, abs=0.05)
    assert "live" in told


def test_a_run_asks_busy_threads_to_give_way_sooner_while_it_lasts():
    sys.setswitchinterval(usual := 0.005)
    run = make(noise(0.05, 0.5), Ear("b", "feed b"))
    run.start()
    wait_until(lambda: sys.getswitchinterval() <= usual / 10)
    run.stop()
    assert sys.getswitchinterval() == usual


class Notes(Ear):
    """A program that notes how the thread is scheduled that it hears from."""

    policies = ()

    def hear(self, block):
        super().hear(block)
        self.policies = (*self.policies[-9:], os.sched_getscheduler(0) & ~os.SCHED_RESET_ON_FORK)


def granted():
    """Whether this system lets a thread of ours come first."""
    found = []

    def ask():
        try:
            os.sched_setscheduler(0, os.SCHED_RR, os.sched_param(1))
            found.append(True)
        except OSError:
            found.append(False)

    thread = threading.Thread(target=ask)
    thread.start()
    thread.join()
    return found[0]


@pytest.mark.parametrize("urgent", [True, False])
def test_an_urgent_run_comes_first_where_the_system_grants_it_and_what_it_begins_does_not(urgent):
    ear, began = Notes("b", "feed b"), []
    done = threading.Event()

    def look(found):
        began.append(os.sched_getscheduler(0))
        done.set()

    run = run_of(Loop(noise(0.01, 1.0), RATE), (ear,), speed=4.0, urgent=urgent)
    run.send_marker(sent_codes(run, {"b": -20.0}), look)
    run.start()
    assert done.wait(20)
    run.stop()
    first = urgent and granted()
    assert set(ear.policies) == {os.SCHED_RR if first else os.SCHED_OTHER}
    assert began == [os.SCHED_OTHER]
    assert run.priority_raised or not first
    assert urgent or not run.priority_raised


class LosesSome(Loop):
    """A microphone whose sound is lost in some blocks, and listeners whose ends lose it with it."""

    gaps = 0

    def __init__(self, sound, ears, losses):
        super().__init__(sound, RATE)
        self.ears, self.losses, self.blocks = ears, losses, 0

    def read(self, count):
        lost = self.blocks in self.losses
        self.blocks += 1
        for each in (self, *self.ears) if lost else ():
            each.gaps += 2
        if self.blocks > 20:
            raise SourceGone("that was all")
        return super().read(count)


def test_what_everybody_loses_at_once_is_one_gap():
    ears = [Ear("a", "feed a"), Ear("b", "feed b")]
    run = run_of(LosesSome(noise(0.05, 1.0), ears, {4, 5, 12}), ears)
    run.start()
    assert run.finished.wait(30)
    assert run.dropouts == 3


def test_what_each_limiter_takes_is_told_while_it_acts():
    told, sound = [], sine(400, 0.0, 1.0)
    ears = Ear("loud", "feed loud"), Ear("soft", "feed soft")
    seats = [
        Seat(ear.name, number, ear, own_feed=f"feed {ear.name}", rate_hz=RATE, channels=1)
        for number, ear in enumerate(ears)
    ]
    mixes = [
        Mix("loud", (MixSend("voice treated", 0.0),), 1, -6.0),
        Mix("soft", (MixSend("voice treated", -12.0),), 1, -6.0),
    ]
    voices = [VoicePath("voice", Loop(sound, RATE), ())]
    run = LiveRun(
        voices,
        seats,
        {},
        mixes,
        ducking=DUCKING,
        tell=lambda kind, news: told.append((kind, news)),
        pacing=Pacing(None),
    )
    run.start()
    wait_until(lambda: sum(kind == "live" for kind, _ in told) >= 3)
    run.stop()
    limited = [news["limited"] for kind, news in told if kind == "live"][1:]
    assert all(set(found) == {"loud"} for found in limited)
    assert all(found["loud"] == pytest.approx(-6.2, abs=0.3) for found in limited)


def test_a_run_tells_how_far_the_room_has_moved_from_its_profile():
    rest = noise(1e-3, 12.0, seed=3)
    profile = profile_rows(noise_profile(rest, rate_hz=RATE))
    told = []
    run = run_of(
        Loop(noise(2e-3, 12.0, seed=4), RATE),
        (),
        chain=(NoiseReductionSpec(12.0, profile),),
        tell=lambda kind, news: told.append(news) if kind == "live" else None,
    )
    run.start()
    wait_until(lambda: any(abs((news["room_moved_db"] or 0.0) - 6.0) < 1.5 for news in told))
    run.stop()


def test_a_loop_comes_round():
    loop = Loop(np.arange(5.0), RATE)
    assert loop.read(7).tolist() == [0, 1, 2, 3, 4, 0, 1]
    assert loop.read(2).tolist() == [2, 3]


def test_the_browser_stream_gives_blocks_of_any_size_from_pieces_of_any_size():
    stream = BrowserStream(RATE)
    stream.push(np.arange(700.0))
    stream.push(np.arange(700.0, 1500.0))
    assert np.concatenate([stream.read(480), stream.read(480), stream.read(480)]).tolist() == list(
        range(1440)
    )


def test_the_browser_stream_ends_when_the_page_is_silent(monkeypatch):
    monkeypatch.setattr("obsidian_wren.devices.browser._PATIENCE_S", 0.05)
    with pytest.raises(SourceGone, match="unplugged"):
        BrowserStream(RATE).read(480)


def test_the_browser_stream_never_lags_for_good():
    stream = BrowserStream(RATE)
    for number in range(300):
        stream.push(np.full(10, float(number)))
    assert stream.read(10)[0] == 100.0


def test_a_stage_that_fails_is_told_once_and_the_voice_goes_on():
    class Failing:
        kind = "gate"
        on = True

        def build(self, *, rate_hz):
            return self

        delay_samples = 0
        gain_db = None
        state = ()

        def process(self, block):
            raise ZeroDivisionError("no ground")

    told, ear = [], Ear("b", "feed b")
    run = run_of(
        Loop(np.full(RATE, 0.1), RATE),
        (ear,),
        chain=(GainSpec(-6.0), Failing()),
        tell=lambda *what: told.append(what),
    )
    for _ in range(5):
        out = run.step({"voice": np.full(480, 0.1)})
    assert out == pytest.approx(0.1 * 10 ** (-6 / 20))
    sentences = [body["sentence"] for kind, body in told if kind == "trouble"]
    assert len(sentences) == 1
    assert "gate" in sentences[0]


def test_mixes_change_under_a_run_without_a_step():
    sound, ear = sine(200, -20.0, 1.0), Ear("b", "feed b")
    run = make(sound, ear, chain=(GainSpec(0.0),))
    step_through(run, sound[: RATE // 2])
    run.change_mixes([Mix("b", (MixSend("voice treated", -20.0),), 1, 0.0)], run.inputs)
    step_through(run, sound[RATE // 2 :])
    heard = ear.heard_since(0)
    assert np.abs(heard[-480:]).max() == pytest.approx(0.01, rel=0.02)
    assert np.abs(np.diff(heard)).max() < 1.5 * np.abs(np.diff(sound)).max()


def test_a_mix_that_fails_is_silence_once_and_starts_again():
    told, ear, sound = [], Ear("b", "feed b"), noise(0.05, 1.0)
    run = make(sound, ear, told=told)
    step_through(run, sound[: RATE // 4])

    class Fails:
        delay_samples = 0

        def process(self, signals):
            raise ZeroDivisionError

    run._mixer._engine = Fails()
    before = ear.position
    step_through(run, sound[RATE // 4 :])
    heard = ear.heard_since(before)
    assert [kind for kind, _ in told] == ["trouble"]
    assert "started again" in told[0][1]["sentence"]
    assert np.abs(heard[-RATE // 4 :]).max() > 0.05


def test_raw_and_treated_run_in_step_whatever_the_chain():
    sound = noise(0.05, 1.0)
    taps = []
    run = make(sound, Ear("b", "feed b"), chain=(GainSpec(0.0), LimiterSpec(-0.1, 100.0)))
    run._tap = lambda signals, mixed: taps.append((signals["voice raw"], signals["voice treated"]))
    step_through(run, sound[: RATE // 2])
    run.change_chain((GainSpec(0.0),))
    step_through(run, sound[RATE // 2 :])
    raw, treated = (np.concatenate(part) for part in zip(*taps, strict=True))
    for part in (slice(2000, RATE // 2 - 100), slice(RATE // 2 + 4800, None)):
        assert np.abs(raw[part] - treated[part]).max() < 1e-3


class Talks(Ear):
    """A program from which a tone comes back."""

    gives_back = True

    def play(self, elapsed_s):
        return np.full(round(elapsed_s * RATE), 0.25)


def test_what_comes_back_is_mixed_and_one_that_fails_is_silent():
    told = []
    caller, ear = Talks("call", None), Ear("b", "feed b")
    path = ReturnPath("call", caller, rate_hz=RATE, specs=())
    seat = Seat("b", 0, ear, own_feed="feed b", rate_hz=RATE, channels=1)
    mixes = [Mix("b", (MixSend("return-call", 0.0),), 1, 0.0)]
    sound = noise(0.05, 1.0)
    run = LiveRun(
        [VoicePath("voice", Loop(sound, RATE), ())],
        [seat],
        {"feed b": "mix b"},
        mixes,
        returns=[path],
        ducking=DUCKING,
        tell=lambda *what: told.append(what),
        pacing=Pacing(None),
    )
    step_through(run, sound[: RATE // 2])
    assert ear.heard_since(ear.position - 4800) == pytest.approx(0.25, abs=1e-3)
    caller.play = lambda elapsed_s: (_ for _ in ()).throw(OSError("hung up"))
    step_through(run, sound[RATE // 2 :])
    assert not ear.heard_since(ear.position - 4800).any()
    assert len(told) == 1
    assert "hung up" in told[0][1]["sentence"]


def test_what_is_kept_of_a_run_and_what_was_not():
    ring = Ring(seconds=0.1, rate_hz=1000)
    for first in range(0, 1500, 50):
        ring.push(np.arange(first, first + 50, dtype=float))
    assert ring.position == 1500
    assert ring.oldest() == 1400
    assert ring.since(0).tolist() == list(range(1400, 1500))
    assert ring.since(1490).tolist() == list(range(1490, 1500))
    assert len(ring.since(1500)) == 0


def test_raw_and_treated_stay_in_step_when_a_slower_chain_comes():
    sound = noise(0.05, 2.0)
    path = VoicePath("voice", Loop(sound, RATE), (GainSpec(0.0),))
    both = []
    for at in range(0, len(sound), 480):
        if at == RATE // 2 // 480 * 480:
            path.change((GainSpec(0.0), LimiterSpec(0.0, 100.0)))
        block = sound[at : at + 480]
        both.append(np.stack(path.treat(block, block)))
    raw, treated = np.concatenate(both, axis=1)[:, -RATE // 2 :]
    assert path.delay_samples > 0
    np.testing.assert_allclose(raw, treated, atol=1e-12)
