"""Listening in: levels while nothing is recorded."""

import numpy as np
import pytest

from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live import watching
from obsidian_wren.service.setup import turning
from obsidian_wren.voice import pace
from obsidian_wren.voice.listening import HEARD, Listening
from obsidian_wren.voice.loop import Loop
from rigging import change
from signals import RATE, noise
from waiting import Clock, wait_until


def frames(listener):
    found = [listener.get_nowait() for _ in range(listener.qsize())]
    return [body for kind, body in found if kind == "frame"]


def test_a_simulated_rig_is_heard_at_the_pace_of_sound(monkeypatch):
    clock, heard = Clock(), []
    monkeypatch.setattr(pace, "time", clock)
    began = clock.now

    class Kept:
        def hear(self, signals, mixed):
            heard.append(len(signals[HEARD]))

        def close(self):
            pass

    listening = Listening(Loop(np.ones(RATE), RATE), Kept())
    wait_until(lambda: len(heard) >= 100)
    listening.end()
    # But for the block that is on its way.
    assert sum(heard) == pytest.approx(RATE * (clock.now - began), abs=RATE / 20)


def test_a_simulated_rig_that_is_listened_into_follows_its_controls(boathouse):
    told = boathouse.bus.listen()
    watching.start_watch(boathouse, "talk")

    def level():
        del found[:]
        wait_until(lambda: found.extend(frames(told)) or len(found) >= 20)
        return max(frame["peak_dbfs"] for frame in found)

    found = []
    before = level()
    turning.turn_knob(boathouse, turning.turn_knob(boathouse, 10.0))
    level()
    assert level() < before - 6.0
    watching.stop_watch(boathouse)


def test_listening_needs_something_to_listen_to(app):
    with pytest.raises(Refused, match="page opens your microphone"):
        watching.start_watch(app, "rest")
    change(app, source="file")
    with pytest.raises(Refused, match="files"):
        watching.start_watch(app, "rest")
    with pytest.raises(Refused, match="Listening has already ended"):
        watching.push_watch(app, np.zeros(100))


def test_the_browsers_microphone_can_be_listened_to(app):
    told = app.bus.listen()
    watching.start_watch(app, "rest", browser_rate_hz=RATE)
    sound = noise(1e-3, 3.0)
    for k in range(0, len(sound), 4800):
        watching.push_watch(app, sound[k : k + 4800])
    wait_until(lambda: told.qsize() > 45)
    assert frames(told)[-1]["level_dbfs"] == pytest.approx(-57.0, abs=0.6)
    watching.stop_watch(app)
