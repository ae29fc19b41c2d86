"""Waiting for what comes, however slow the machine is: the bound only ends a test that would
wait for ever."""

import time

PATIENCE_S = 300.0


def wait_until(what, every_s=0.02, *, tell=lambda: ""):
    """What ``what`` gives once it is true; ``tell`` says how things stand where it never was."""
    end = time.monotonic() + PATIENCE_S
    while not (found := what()):
        assert time.monotonic() < end, f"it never happened {tell()}"
        time.sleep(every_s)
    return found


class Clock:
    """Time that passes only while somebody sleeps: in the place of a module's ``time``."""

    def __init__(self):
        self.now = 100.0

    def monotonic(self):
        return self.now

    perf_counter = monotonic

    def sleep(self, seconds):
        self.now += max(0.0, seconds)
        # Others run meanwhile.
        time.sleep(0)
