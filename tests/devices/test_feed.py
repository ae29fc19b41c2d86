"""A feed's own end of its pipe: what was lost on the way to who listens is told, and only that."""

import os

import numpy as np
import pytest

from obsidian_wren.devices.sound_server import feed as feeds
from obsidian_wren.devices.sound_server.feed import PipeFeed
from waiting import Clock

# 60 ms that a server may be late, beside two blocks.
LATE = 2880


@pytest.fixture
def clock(monkeypatch):
    clock = Clock()
    monkeypatch.setattr(feeds, "time", clock)
    return clock


@pytest.fixture
def feed(tmp_path, clock):
    path = tmp_path / "call.pipe"
    os.mkfifo(path)
    feed = PipeFeed(path, waits_samples=0, held=os.open(tmp_path / "lock", os.O_CREAT | os.O_RDWR))
    yield feed
    feed.close()


@pytest.fixture
def reads(feed):
    """Who listens takes all there is."""
    pipe = os.open(feed.path, os.O_RDONLY | os.O_NONBLOCK)
    yield lambda: np.frombuffer(os.read(pipe, 1 << 16), dtype=np.float32)
    os.close(pipe)


def blocks(feed, clock, count, *, length=480, first=0):
    """Blocks that hold their number."""
    for number in range(first, first + count):
        feed.write(np.full(length, float(number)))
        clock.sleep(length / 48_000)


@pytest.mark.parametrize("length", [120, 480, 1920, 4800])
def test_blocks_of_any_length_arrive_whole(feed, clock, reads, length):
    for number in range(5):
        blocks(feed, clock, 1, length=length, first=number)
        assert reads().tolist() == [float(number)] * length
    assert feed.gaps == 0


@pytest.mark.parametrize("length", [480, 1920])
def test_a_server_that_is_late_by_60_ms_loses_nothing(feed, clock, reads, length):
    blocks(feed, clock, 2, length=length)
    reads()
    late = 2 + LATE // length
    blocks(feed, clock, late, length=length, first=2)
    assert reads().tolist() == np.repeat(np.arange(2.0, 2.0 + late), length).tolist()
    blocks(feed, clock, 1, length=length)
    assert feed.gaps == 0


def test_the_oldest_goes_where_too_much_waits_and_is_a_gap(feed, clock, reads):
    blocks(feed, clock, 1)
    reads()
    blocks(feed, clock, 20, first=1)
    found = reads()
    assert (found[0], found[-1], len(found)) == (13.0, 20.0, LATE + 2 * 480)
    assert feed.gaps == 0
    blocks(feed, clock, 1)
    assert (feed.gaps, feed.unread_s) == (1, 0.0)


def test_what_waits_for_the_server_is_delay_while_it_reads(feed, clock, reads):
    blocks(feed, clock, 2)
    reads()
    blocks(feed, clock, 4)
    # Three waited when the fourth came.
    assert feed.delay_s == pytest.approx(0.03)
    blocks(feed, clock, 40)
    assert feed.delay_s == 0.0


def test_what_nobody_listened_to_is_no_gap_and_is_not_heard_later(feed, clock, reads):
    blocks(feed, clock, 200)
    assert feed.unread_s == pytest.approx(2.0)
    assert reads().tolist() == [199.0] * 480
    blocks(feed, clock, 1)
    assert (feed.gaps, feed.unread_s) == (0, 0.0)


def test_two_channels_go_side_by_side_and_one_goes_into_both(tmp_path, clock):
    path = tmp_path / "stream.pipe"
    os.mkfifo(path)
    held = os.open(tmp_path / "lock", os.O_CREAT | os.O_RDWR)
    feed = PipeFeed(path, waits_samples=0, held=held, channels=2)
    feed.write(np.array([[1.0, 2.0], [3.0, 4.0]]))
    feed.write(np.array([5.0]))
    pipe = os.open(path, os.O_RDONLY | os.O_NONBLOCK)
    assert np.frombuffer(os.read(pipe, 1 << 16), dtype=np.float32).tolist() == [1, 2, 3, 4, 5, 5]
    os.close(pipe)
    feed.close()


@pytest.fixture
def quantum(tmp_path, clock):
    """A feed whose server reads a quantum at a time, every 21.3 ms."""
    path = tmp_path / "quantum.pipe"
    os.mkfifo(path)
    held = os.open(tmp_path / "lock", os.O_CREAT | os.O_RDWR)
    feed = PipeFeed(path, waits_samples=4096, held=held)
    yield Quantum(feed, clock)
    feed.close()


class Quantum:
    def __init__(self, feed, clock):
        self.feed, self.clock = feed, clock
        self.pipe = os.open(feed.path, os.O_RDONLY | os.O_NONBLOCK)
        self.next_s, self.starved = clock.monotonic(), 0

    def waits_s(self):
        return self.feed._waiting() / 4 / 48_000

    def runs(self, seconds, *, late_s=0.0):
        """Blocks come, now and then one a little late; the least that waits before one, seconds."""
        low = []
        for number in range(round(seconds * 100)):
            self.clock.sleep(0.01)
            while self.next_s <= self.clock.monotonic() + (late_s if number % 7 == 0 else 0.0):
                self.starved += len(os.read(self.pipe, 4096)) < 4096
                self.next_s += 1024 / 48_000
            low.append(self.waits_s())
            self.feed.write(np.full(480, 0.1))
        return min(low)


def begins(quantum):
    """Blocks come until the server begins to read."""
    for _ in range(3):
        quantum.feed.write(np.full(480, 0.1))
    quantum.next_s = quantum.clock.monotonic()


def test_what_waits_too_long_goes_by_and_by(quantum):
    begins(quantum)
    quantum.runs(2.0)
    before = quantum.starved
    # The whole system stood still, and everything comes at once.
    for _ in range(10):
        quantum.feed.write(np.full(480, 0.1))
    assert quantum.waits_s() > 0.1
    quantum.runs(15.0)
    assert quantum.runs(1.0) < 0.025
    assert quantum.starved == before


def test_while_somebody_measures_what_arrives_not_a_sample_more_or_less_goes_in(quantum):
    begins(quantum)
    for _ in range(10):
        quantum.feed.write(np.full(480, 0.1))
    before = quantum.waits_s()
    for _ in range(500):
        quantum.clock.sleep(0.01)
        quantum.feed.write(np.full(480, 0.1), as_it_is=True)
        os.read(quantum.pipe, 4 * 480)
    assert quantum.waits_s() == pytest.approx(before)


def test_where_too_little_waits_it_becomes_more(quantum):
    begins(quantum)
    os.read(quantum.pipe, 4 * 900)
    quantum.runs(5.0, late_s=0.003)
    before = quantum.starved
    quantum.runs(20.0, late_s=0.003)
    assert quantum.starved == before
