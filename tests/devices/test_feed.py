"""A feed's own end of its pipe: what was lost on the way to who listens is told, and only that."""

import os

import numpy as np
import pytest

from obsidian_wren.devices.sound_server import feed as feeds
from obsidian_wren.devices.sound_server.feed import PipeFeed
from waiting import Clock

BLOCK = np.full(480, 0.25)


@pytest.fixture
def clock(monkeypatch):
    clock = Clock()
    monkeypatch.setattr(feeds, "time", clock)
    return clock


@pytest.fixture
def feed(tmp_path, clock):
    path = tmp_path / "call.pipe"
    os.mkfifo(path)
    feed = PipeFeed(path, pipe_bytes=4096, held=os.open(tmp_path / "lock", os.O_CREAT | os.O_RDWR))
    yield feed
    feed.close()


@pytest.fixture
def reads(feed):
    """Who listens takes all there is; gives how many samples."""
    pipe = os.open(feed.path, os.O_RDONLY | os.O_NONBLOCK)
    yield lambda: len(os.read(pipe, 1 << 16)) // 4
    os.close(pipe)


def test_a_block_that_did_not_fit_while_somebody_listens_is_a_gap(feed, clock, reads):
    for _ in range(5):
        feed.write(BLOCK)
        clock.sleep(0.01)
        assert reads() == 480
    assert feed.gaps == 0
    for _ in range(4):
        feed.write(BLOCK)
        clock.sleep(0.01)
    # Two fit, two were lost in one piece.
    assert reads() == 960
    feed.write(BLOCK)
    assert feed.gaps == 1
    assert feed.unread_s == 0.0


def test_what_nobody_listened_to_is_no_gap(feed, clock, reads):
    for _ in range(200):
        feed.write(BLOCK)
        clock.sleep(0.01)
    assert feed.unread_s == pytest.approx(1.98)
    reads()
    feed.write(BLOCK)
    assert feed.gaps == 0


def test_a_block_that_fits_in_part_is_a_gap(feed, clock, reads):
    feed.write(np.full(1100, 0.25))
    assert reads() == 1024
    clock.sleep(0.02)
    feed.write(BLOCK)
    assert feed.gaps == 1
