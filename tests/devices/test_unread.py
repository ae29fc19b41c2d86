"""Programs that listen to a feed which the sound server reads no more."""

from types import SimpleNamespace

import pytest

from obsidian_wren.ports.system_sound import Surroundings, SystemListener
from obsidian_wren.voice import moving, unread
from waiting import Clock

CALL, ASIDE = "ours.call", "ours.aside"


class Server:
    """Keeps where its one program listens, and in what order it was moved."""

    def __init__(self):
        self.moved, self.outputs, self.hears, self.relieved = [], set(), CALL, None

    def input_name(self, key):
        return f"ours.{key}"

    def relieve_input(self, key):
        # Who keeps it takes it away where nobody hears it.
        assert self.hears == CALL
        self.relieved = key

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
        assert self.relieved == key
        self.moved.append("removed")

    def ensure_input(self, key, title, channels):
        assert self.hears == f"{ASIDE}.monitor"
        self.moved.append("made")
        return a_feed(10.0)

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
    monkeypatch.setattr(unread, "time", found)
    monkeypatch.setattr(moving, "time", found)
    return found


def a_feed(unread_s):
    return SimpleNamespace(unread_s=unread_s, channels=1, held_up=(), close=lambda: None)


class Feeds:
    """One feed of a server, looked at twice a second."""

    def __init__(self, clock):
        self.system, self.held, self.clock = Server(), {"call": a_feed(0.0)}, clock
        self.unread = unread.Unread()

    def looked_for(self, seconds):
        for _ in range(round(seconds / 0.5)):
            for key in self.unread.due(self.system, self.held):
                unread.join_anew(self.system, self.held, {"call": "Wren: call"}, key)
            self.clock.now += 0.5
        return self.system.moved


@pytest.fixture
def feeds(clock):
    return Feeds(clock)


def test_what_is_read_is_left_alone(feeds):
    assert feeds.looked_for(60.0) == []


def test_listeners_wait_aside_for_a_moment_and_join_it_anew(feeds):
    feeds.held["call"].unread_s = 10.0
    assert feeds.looked_for(1.0) == []
    assert feeds.looked_for(1.0) == [
        (7, f"{ASIDE}.monitor"),
        "removed",
        "made",
        (7, CALL),
    ]
    assert feeds.system.outputs == set()


def test_where_it_did_not_help_it_is_not_tried_at_once(feeds):
    feeds.held["call"].unread_s = 10.0
    assert len(feeds.looked_for(12.0)) == 4
    assert len(feeds.looked_for(10.0)) == 8


def test_a_feed_that_nobody_listened_to_until_now_is_unread_and_no_fault(feeds):
    feeds.held["call"].unread_s = 1000.0
    feeds.system.hears = "desk"
    assert feeds.looked_for(60.0) == []
    feeds.system.hears = CALL
    assert feeds.looked_for(0.5) == []
    feeds.held["call"].unread_s = 0.0
    assert feeds.looked_for(60.0) == []
