"""A live thread and the others of its process come first for as long as it lasts."""

import os
import sys
import threading

from obsidian_wren.voice.priority import quick_switching


def niceness(*threads):
    """Of this thread and others: what else a process runs may be of another test."""
    ids = (threading.get_native_id(), *(thread.native_id for thread in threads))
    return [os.getpriority(os.PRIO_PROCESS, each) for each in ids]


def granted():
    usual = os.getpriority(os.PRIO_PROCESS, 0)
    try:
        os.setpriority(os.PRIO_PROCESS, 0, usual - 1)
    except OSError:
        return False
    os.setpriority(os.PRIO_PROCESS, 0, usual)
    return True


def test_every_thread_comes_first_and_then_none_does():
    switching, ended = sys.getswitchinterval(), threading.Event()
    beside = threading.Thread(target=ended.wait)
    beside.start()
    usual = niceness(beside)
    try:
        with quick_switching(urgent=True):
            inside = niceness(beside)
            assert sys.getswitchinterval() < switching
        assert niceness(beside) == usual
    finally:
        ended.set()
        beside.join()
    assert inside == ([-10, -10] if granted() else usual)
    assert sys.getswitchinterval() == switching


def test_what_is_not_urgent_asks_for_nothing():
    usual = niceness()
    with quick_switching(urgent=False):
        assert niceness() == usual
