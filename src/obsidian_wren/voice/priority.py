"""The system is asked to run a live thread before other programs."""

from __future__ import annotations

import os
import sys
import threading
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

_REAL_TIME, _NICE = 10, -10
# What a server gives its own threads.
_SERVERS_OWN = 5
# A block lets go of the interpreter a hundred times, and gets it back from a busy thread only after
# so long: usually that is 5 ms each.
_SWITCH_S = 5e-5


@contextmanager
def quick_switching(*, urgent: bool) -> Iterator[None]:
    """Threads of this process give way to each other at once for as long as this lasts; where it
    is urgent, none of them gives way to other programs, if the system grants that."""
    usual = sys.getswitchinterval()
    sys.setswitchinterval(_SWITCH_S)
    nice = _let_none_be_held_up(_NICE) if urgent else None
    try:
        yield
    finally:
        sys.setswitchinterval(usual)
        if nice is not None:
            _let_none_be_held_up(nice)


def come_first(*, brokered: bool = False) -> bool:
    """Ask the system to run this thread before others, by its own rights for sound where it
    grants them, else through the desktop's broker where that may be asked, else by niceness."""
    with suppress(OSError, AttributeError):
        # Niceness counts only among the programs of one session, so a busy browser of another would
        # still hold it up. What is begun from here, such as looking for a marker, is not urgent.
        os.sched_setscheduler(0, os.SCHED_RR | os.SCHED_RESET_ON_FORK, os.sched_param(_REAL_TIME))
        return True
    if brokered and sys.platform.startswith("linux"):
        from obsidian_wren.voice.broker import ask_broker

        if ask_broker():
            return True
    with suppress(OSError, AttributeError):
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), _NICE)
        return True
    return False


def let_come_first(process: int, thread: int, *, brokered: bool = False) -> bool:
    """Ask for the same for a thread of the sound server, which hands on what we give; whether it
    was granted."""
    with suppress(OSError, AttributeError):
        os.sched_setscheduler(
            thread, os.SCHED_RR | os.SCHED_RESET_ON_FORK, os.sched_param(_SERVERS_OWN)
        )
        return True
    if not brokered:
        return False
    from obsidian_wren.voice.broker import ask_broker

    return ask_broker(process, thread, _SERVERS_OWN)


def _let_none_be_held_up(nice: int) -> int | None:
    """Set the niceness of every thread of this process; returns what it was, None where that is
    not granted.

    Whichever thread has the interpreter keeps a live one waiting while other programs run in its
    place; so they come before those too.
    """
    try:
        usual = os.getpriority(os.PRIO_PROCESS, os.getpid())
        os.setpriority(os.PRIO_PROCESS, os.getpid(), nice)
    except (OSError, AttributeError):
        return None
    with suppress(OSError):
        for thread in Path("/proc/self/task").iterdir():
            with suppress(OSError):
                os.setpriority(os.PRIO_PROCESS, int(thread.name), nice)
    return usual
