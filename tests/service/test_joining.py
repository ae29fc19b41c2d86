"""Programs that listen to a feed which the sound server reads no more."""

from types import SimpleNamespace

import pytest

from obsidian_wren.ports.system_sound import Surroundings, SystemListener
from obsidian_wren.service.mixes.own_system import Feeds
from obsidian_wren.service.send import joining
from obsidian_wren.voice import moving
from waiting import Clock

CALL, ASIDE = "ours.call", "ours.aside"


class Server:
    """Keeps where its one program listens, and in what order it was moved."""

    def __init__(self):
        self.moved, self.outputs, self.hears = [], set(), CALL

    def input_name(self, key):
        return f"ours.{key}"

    def ensure_output(self, key, title):
        self.outputs.add(key)
        return self.input_name(key)

    def monitor_of(self, output):
        return f"{output}.monitor"

    def remove_output(self, key):
        assert self.hears == CALL
        self.outputs.discard(key)

    def remove_input(self, key):
        assert self.hears == f"{ASIDE}.monitor"
        self.moved.append("removed")

    def ensure_input(self, key, title, channels):
        assert self.hears == f"{ASIDE}.monitor"
        self.moved.append("made")
        return SimpleNamespace(unread_s=10.0, channels=1, close=lambda: None)

    def move_listener(self, index, microphone):
        self.moved.append((index, microphone))
        self.hears = microphone

    def look(self):
        return True

    @property
    def seen(self):
        program = SystemListener(7, "Walk recorder", None, self.hears, True, 100.0, False)
        return Surroundings("PipeWire", None, (), (program,), ())


@pytest.fixture
def clock(monkeypatch):
    found = Clock()
    monkeypatch.setattr(joining, "time", found)
    monkeypatch.setattr(moving, "time", found)
    return found


@pytest.fixture
def feed():
    return SimpleNamespace(unread_s=0.0, channels=1, close=lambda: None)


@pytest.fixture
def ws(feed):
    states = {}
    found = SimpleNamespace(
        world=SimpleNamespace(system=Server()),
        own=lambda kind: states.setdefault(kind, kind()),
    )
    found.own(Feeds).held["call"] = feed
    found.own(Feeds).titles["call"] = "Wren: call"
    return found


def looked_for(ws, clock, seconds):
    for _ in range(round(seconds / 0.5)):
        joining.join_unread(ws)
        clock.now += 0.5
    return ws.world.system.moved


def test_what_is_read_is_left_alone(ws, clock):
    assert looked_for(ws, clock, 60.0) == []


def test_listeners_wait_aside_for_a_moment_and_join_it_anew(ws, feed, clock):
    feed.unread_s = 10.0
    assert looked_for(ws, clock, 2.0) == []
    assert looked_for(ws, clock, 1.0) == [
        (7, f"{ASIDE}.monitor"),
        "removed",
        "made",
        (7, CALL),
    ]
    assert ws.world.system.outputs == set()


def test_where_it_did_not_help_it_is_not_tried_at_once(ws, feed, clock):
    feed.unread_s = 10.0
    assert len(looked_for(ws, clock, 25.0)) == 4
    assert len(looked_for(ws, clock, 30.0)) == 8


def test_a_feed_that_nobody_listened_to_until_now_is_unread_and_no_fault(ws, feed, clock):
    feed.unread_s = 1000.0
    ws.world.system.hears = "desk"
    assert looked_for(ws, clock, 60.0) == []
    ws.world.system.hears = CALL
    joining.join_unread(ws)
    feed.unread_s = 0.0
    assert looked_for(ws, clock, 60.0) == []
