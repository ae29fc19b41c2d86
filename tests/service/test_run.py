"""The live run on a stream and listeners made for the test."""

import threading
import time

import numpy as np
import pytest

from obsidian_wren.core.chain.gain import GainSpec
from obsidian_wren.core.chain.limiter import LimiterSpec
from obsidian_wren.devices.browser import BrowserStream
from obsidian_wren.service.ports import SourceGone
from obsidian_wren.service.run import LiveRun, Loop
from signals import RATE, noise, sine


class Ear:
    """A listener that keeps everything."""

    kind = "call"
    rate_hz = RATE

    def __init__(self, name, picks):
        self.name, self.picks, self.blocks = name, picks, []

    def hear(self, block):
        self.blocks.append(block.copy())

    @property
    def position(self):
        return sum(len(block) for block in self.blocks)

    def heard_since(self, position):
        return np.concatenate(self.blocks)[position:]


SIX_UP = (GainSpec(6.0),)


def make(sound, *ears, chain=SIX_UP, told=None):
    tell = (lambda kind, body: told.append((kind, body))) if told is not None else (lambda *_: None)
    return LiveRun(Loop(sound, RATE), chain, ears, {"raw device": "raw", "feed": "treated"}, tell=tell, paced=False)


def step_through(run, sound, block=480):
    for first in range(0, len(sound), block):
        run.step(sound[first : first + block])


def test_each_listener_hears_what_it_picked():
    sound = noise(0.05, 1.0)
    raw, fed, lost = Ear("a", "raw device"), Ear("b", "feed"), Ear("c", None)
    step_through(make(sound, raw, fed, lost), sound)
    assert np.array_equal(raw.heard_since(0), sound)
    assert fed.heard_since(0) == pytest.approx(sound * 10 ** (6 / 20))
    assert not lost.heard_since(0).any()


def test_the_marker_goes_into_every_path_once_and_is_looked_for():
    sound = noise(0.01, 5.0)
    raw, fed = Ear("a", "raw device"), Ear("b", "feed")
    run = make(sound, raw, fed, chain=(GainSpec(6.0), LimiterSpec(-3.0, 100.0)))
    found, done = {}, threading.Event()
    step_through(run, sound[:RATE])

    def keep(results):
        found.update(results)
        done.set()

    run.send_marker(-45.0, keep)
    assert run.marker_in_flight
    step_through(run, sound[RATE:])
    assert done.wait(20)
    assert not run.marker_in_flight
    assert found["a"].arrival == "raw"
    assert found["a"].raw.delay_samples == pytest.approx(0, abs=1)
    assert found["b"].arrival == "treated"
    assert found["b"].treated.level_db == pytest.approx(6.0, abs=1.5)
    assert found["b"].treated.delay_samples == pytest.approx(88, abs=2)


def test_a_marker_asked_for_in_the_middle_of_a_block_is_not_late_by_that_block():
    class Asks(Ear):
        def hear(self, block):
            if len(self.blocks) == 50:
                # The run has this block done but not given yet, as when a request comes from another thread.
                run.send_marker(-45.0, keep)
            super().hear(block)

    found, done = {}, threading.Event()

    def keep(results):
        found.update(results)
        done.set()

    sound, ear = noise(0.01, 5.0), Asks("a", "raw device")
    run = make(sound, ear)
    step_through(run, sound)
    assert done.wait(20)
    assert found["a"].raw.delay_samples == pytest.approx(0, abs=1)


def test_a_changed_chain_takes_over_in_one_fade_without_a_step():
    sound = sine(200, -20.0, 1.0)
    ear = Ear("b", "feed")
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
    run = LiveRun(stream, (), (), {}, tell=lambda *_: None, paced=True)
    run.start()
    assert run.finished.wait(5)
    assert run.stopped_why == "The source went away."
    assert stream.closed


def test_a_failure_inside_never_reaches_a_listener_as_noise():
    class Broken:
        rate_hz = RATE

        def read(self, count):
            return np.full(count, np.nan)

        def close(self):
            pass

    ear = Ear("b", "feed")
    run = LiveRun(Broken(), (GainSpec(6.0),), (ear,), {"feed": "treated"}, tell=lambda *_: None, paced=False)
    run.start()
    time.sleep(0.1)
    run.stop()
    assert ear.blocks
    assert not np.concatenate(ear.blocks).any()


def test_one_broken_listener_is_told_once():
    told = []
    good, bad = Ear("good", "feed"), Ear("bad", "feed")
    bad.hear = lambda block: (_ for _ in ()).throw(OSError("disk full"))
    sound = noise(0.05, 0.5)
    run = make(sound, bad, good, told=told)
    step_through(run, sound)
    assert good.position == len(sound)
    assert [kind for kind, _ in told] == ["trouble"]


def test_a_paced_run_keeps_to_the_clock():
    told = []
    ear = Ear("b", "feed")
    run = LiveRun(Loop(noise(0.05, 1.0), RATE), (), (ear,), {"feed": "treated"}, tell=lambda k, b: told.append(k), paced=True)
    run.start()
    time.sleep(1.0)
    run.stop()
    # It may lag by what a busy machine costs, but it never runs ahead.
    assert 0.2 * RATE < ear.position <= 1.3 * RATE
    assert "live" in told


def test_a_loop_comes_round():
    loop = Loop(np.arange(5.0), RATE)
    assert loop.read(7).tolist() == [0, 1, 2, 3, 4, 0, 1]
    assert loop.read(2).tolist() == [2, 3]


def test_the_browser_stream_gives_blocks_of_any_size_from_pieces_of_any_size():
    stream = BrowserStream(RATE)
    stream.push(np.arange(700.0))
    stream.push(np.arange(700.0, 1500.0))
    assert np.concatenate([stream.read(480), stream.read(480), stream.read(480)]).tolist() == list(range(1440))


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

    told, ear = [], Ear("b", "feed")
    run = LiveRun(
        Loop(np.full(RATE, 0.1), RATE),
        (GainSpec(-6.0), Failing()),
        (ear,),
        {"feed": "treated"},
        tell=lambda *what: told.append(what),
        paced=False,
    )
    for _ in range(5):
        out = run.step(np.full(480, 0.1))
    assert out == pytest.approx(0.1 * 10 ** (-6 / 20))
    sentences = [body["sentence"] for kind, body in told if kind == "trouble"]
    assert len(sentences) == 1
    assert "gate" in sentences[0]
