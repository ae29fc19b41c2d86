"""Silence into feeds that nobody writes to: at once where nothing is live, and not before a block
that is only late."""

import pytest

from obsidian_wren.voice import silence
from obsidian_wren.voice.silence import Silence
from waiting import wait_until


class Feed:
    def __init__(self):
        self.written = 0

    def write(self, block):
        self.written += len(block)


class Clock:
    """Stands still."""

    now = 100.0

    def monotonic(self):
        return self.now


@pytest.mark.parametrize(
    ("is_live", "late_s", "is_silent"),
    [(False, 0.03, False), (False, 0.05, True), (True, 0.2, False), (True, 0.3, True)],
)
def test_what_is_live_may_be_late_before_it_is_silent(monkeypatch, is_live, late_s, is_silent):
    monkeypatch.setattr(silence, "time", Clock())
    feed, looks = Feed(), []

    def heard():
        looks.append(1)
        return [(feed, Clock.now - late_s)]

    writes = Silence(heard, lambda: is_live)
    wait_until(lambda: len(looks) >= 3)
    writes.end()
    assert (feed.written > 0) == is_silent


def test_whoever_is_told_that_it_ended_writes_at_once(monkeypatch):
    monkeypatch.setattr(silence, "time", Clock())
    monkeypatch.setattr(silence, "_LATE_S", 600.0)
    monkeypatch.setattr(silence, "_LOOK_EVERY_S", 600.0)
    feed, looks, live = Feed(), [], [True]

    def heard():
        looks.append(1)
        return [(feed, Clock.now - 0.1)]

    writes = Silence(heard, lambda: live[0])
    wait_until(lambda: looks)
    live[0] = False
    writes.look()
    wait_until(lambda: feed.written)
    writes.end()
