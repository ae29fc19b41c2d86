"""Programs moved to another input by a server that answers before it moves, or never moves."""

import pytest

from obsidian_wren.ports.system_sound import Surroundings, SystemListener
from obsidian_wren.ports.world import SourceGone
from obsidian_wren.voice import moving
from waiting import Clock


class Server:
    """Moves its programs a while after it was asked, and loses the first ``loses`` questions."""

    def __init__(self, clock, *, loses=0, late_s=0.0, programs=(7,)):
        self.clock, self.loses, self.late_s = clock, loses, late_s
        self.hears = dict.fromkeys(programs, "desk")
        self.asked, self.due, self.told = [], [], {}

    def move_listener(self, index, microphone):
        if index not in self.hears:
            raise SourceGone("gone")
        # What it was asked already is no news to it.
        if self.told.get(index) == microphone:
            return
        self.told[index] = microphone
        if microphone != "call":
            return
        self.asked.append(index)
        if len(self.asked) > self.loses:
            self.due.append((self.clock.now + self.late_s, index, microphone))

    def look(self):
        for at_s, index, microphone in self.due:
            if at_s <= self.clock.now:
                self.hears[index] = microphone
        return True

    @property
    def seen(self):
        return Surroundings(
            "PipeWire",
            None,
            (),
            tuple(
                SystemListener(index, "Walk recorder", None, hears, False, 100.0, False)
                for index, hears in self.hears.items()
            ),
            (),
        )


@pytest.fixture
def clock(monkeypatch):
    found = Clock()
    monkeypatch.setattr(moving, "time", found)
    return found


def test_a_server_that_moves_at_once_is_asked_once(clock):
    server = Server(clock, programs=(7, 8))
    assert moving.move_listeners(server, {7, 8}, "call") == set()
    assert sorted(server.asked) == [7, 8]
    assert set(server.hears.values()) == {"call"}


@pytest.mark.parametrize(("loses", "late_s"), [(0, 0.9), (2, 0.0), (1, 0.5)])
def test_a_server_that_is_late_or_loses_what_it_was_asked_is_asked_again(clock, loses, late_s):
    server = Server(clock, loses=loses, late_s=late_s)
    assert moving.move_listeners(server, {7}, "call") == set()
    assert server.hears[7] == "call"
    assert len(server.asked) == loses + 1


def test_one_that_never_moves_is_given_back_in_the_end(clock):
    server = Server(clock, loses=1000)
    began_s = clock.now
    assert moving.move_listeners(server, {7}, "call") == {7}
    assert clock.now - began_s == pytest.approx(5.0, abs=0.1)


def test_one_that_is_gone_holds_nobody_up(clock):
    server = Server(clock)
    assert moving.move_listeners(server, {7, 9}, "call") == {9}
    assert server.hears[7] == "call"
    assert clock.now == 100.0
