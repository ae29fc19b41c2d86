"""An output that a server opened and joined to nothing."""

from types import SimpleNamespace

import numpy as np

from obsidian_wren.voice import system_ends
from waiting import wait_until


class Output:
    missed = asked = delay_s = 0
    is_gone = closed = False

    def __init__(self, asks):
        self._asks = asks

    def write(self, block):
        self.asked += self._asks * len(block)

    def close(self):
        self.closed = True


def test_an_output_that_asks_for_nothing_is_opened_again(monkeypatch):
    monkeypatch.setattr(system_ends, "_ASKS_WITHIN_S", 0.6)
    opened = []

    def open_output(name, **_):
        opened.append(Output(asks=len(opened) >= 2))
        return opened[-1]

    played = system_ends.PlayedTo(
        SimpleNamespace(open_output=open_output), "headphones", "Headphones", lambda: "phones"
    )

    def heard(samples):
        played.hear(np.zeros((480, 2)))
        return opened and opened[-1].asked >= samples

    wait_until(lambda: heard(480))
    assert [each.closed for each in opened] == [True, True, False]
    # One that asks stays, for longer than it may be silent.
    wait_until(lambda: heard(480 * 60))
    assert len(opened) == 3
