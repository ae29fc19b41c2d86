"""What came from a device: how long it is waited for, and what is told of it."""

import threading
import time

import numpy as np
import pytest

from obsidian_wren.devices import arrivals
from obsidian_wren.devices.arrivals import Arrivals
from obsidian_wren.ports.world import SourceGone
from obsidian_wren.voice.pace import PATIENCE_S


@pytest.fixture
def made(monkeypatch):
    """A device of 100 samples a second whose clock only the test moves on."""
    clock = [0.0]
    monkeypatch.setattr(arrivals.time, "monotonic", lambda: clock[0])
    came = Arrivals(rate_hz=100, channels=1, block_s=0.1, patience_s=60.0)
    return came, clock


def sends(came, clock, *steps):
    """Each time the reader waits: so many seconds pass, and so many samples come."""
    left = list(steps)

    def wait(_seconds):
        passed_s, count = left.pop(0)
        clock[0] += passed_s
        came.put([np.ones((count, 1), dtype=np.float32)] if count else [])

    came._there.wait = wait
    came._there.notify_all = lambda: None
    return left


def test_slow_arrivals_are_waited_for_as_long_as_something_comes(made):
    came, clock = made
    left = sends(came, clock, (2.0, 40), (2.0, 40), (2.9, 40))
    assert came.read(120).shape == (120,)
    assert (left, clock[0], came.arrived_s) == ([], 6.9, 6.9)


def test_three_seconds_without_anything_are_an_end(made):
    came, clock = made
    sends(came, clock, (2.0, 40), (2.0, 0), (1.0, 0))
    with pytest.raises(SourceGone, match=r"it sent nothing for 3 s\. Plug it in again"):
        came.read(120)
    assert clock[0] == 5.0
    # What came before is still whole.
    assert len(came.read(40)) == 40


def test_who_asks_late_waits_from_then_on(made):
    came, clock = made
    clock[0] = 100.0
    left = sends(came, clock, (2.0, 20))
    assert len(came.read(20)) == 20
    assert left == []


def test_a_reader_that_fetches_puts_for_itself(monkeypatch):
    clock, left = [0.0], [(0.4, 30), (0.4, 0), (0.4, 90)]
    monkeypatch.setattr(arrivals.time, "monotonic", lambda: clock[0])

    def fetch(most_s):
        assert most_s == pytest.approx(3.0, abs=0.5)
        passed_s, count = left.pop(0)
        clock[0] += passed_s
        came.put([np.full((count, 1), clock[0])] if count else [])

    came = Arrivals(rate_hz=100, channels=1, block_s=0.1, patience_s=0.2, fetch=fetch)
    block = came.read(60)
    # Of 120 samples the newest 60 and those 20 that may wait were kept, as whole pieces.
    assert (len(block), came.gaps, left) == (60, 1, [])
    assert block == pytest.approx(1.2)
    came.put([np.zeros((10, 1))], after_loss=True)
    assert came.gaps == 2


def test_the_first_reason_is_told_to_who_reads():
    came = Arrivals(rate_hz=100, channels=1, block_s=0.1, patience_s=None)
    told = []

    def read():
        with pytest.raises(SourceGone) as raised:
            came.read(10)
        told.append(str(raised.value))

    reader = threading.Thread(target=read)
    reader.start()
    while not came._asked:
        time.sleep(0.001)
    came.end("the sound server went away")
    came.end("it was closed")
    reader.join()
    assert told == [
        "The microphone was disconnected: the sound server went away. Plug it in again."
    ]


def test_what_a_server_holds_back_for_a_fifth_of_a_second_is_whole_and_more_is_a_gap():
    came = Arrivals(rate_hz=100, channels=1, block_s=0.01, patience_s=PATIENCE_S)
    pieces = [np.full((1, 1), number, dtype=np.float32) for number in range(50)]
    came.put(pieces[:1])
    came.read(1)
    came.put(pieces[:20])
    assert came.read(20).tolist() == list(range(20))
    assert came.gaps == 0
    came.put(pieces[:30])
    assert (came.gaps, came.read(20).tolist()) == (1, list(range(10, 30)))
