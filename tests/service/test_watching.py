"""Listening in: levels while nothing is recorded."""

import numpy as np
import pytest

from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live import watching
from rigging import change
from signals import RATE, noise
from waiting import Clock, wait_until


def frames(listener):
    found = [listener.get_nowait() for _ in range(listener.qsize())]
    return [body for kind, body in found if kind == "frame"]


def test_frames_come_twenty_times_a_second_at_the_pace_of_sound(boathouse, monkeypatch):
    clock = Clock()
    monkeypatch.setattr(watching, "time", clock)
    told = boathouse.bus.listen()
    began = clock.now
    watching.start_watch(boathouse, "talk")
    wait_until(lambda: told.qsize() >= 100)
    watching.stop_watch(boathouse)
    # Whatever it is that is told beside the frames, and the block that is on its way.
    assert len(frames(told)) == pytest.approx(20 * (clock.now - began), abs=3)


def test_listening_needs_something_to_listen_to(workshop):
    with pytest.raises(Refused, match="opened by the page"):
        watching.start_watch(workshop, "rest")
    change(workshop, source="file")
    with pytest.raises(Refused, match="files"):
        watching.start_watch(workshop, "rest")
    with pytest.raises(Refused, match="Nobody is listening"):
        watching.push_watch(workshop, np.zeros(100))


def test_the_browsers_microphone_can_be_listened_to(workshop):
    told = workshop.bus.listen()
    watching.start_watch(workshop, "rest", browser_rate_hz=RATE)
    sound = noise(1e-3, 3.0)
    for k in range(0, len(sound), 4800):
        watching.push_watch(workshop, sound[k : k + 4800])
    wait_until(lambda: told.qsize() > 45)
    assert frames(told)[-1]["level_dbfs"] == pytest.approx(-57.0, abs=0.6)
    watching.stop_watch(workshop)
