"""How the C library shares out memory among threads, and gives back what nobody uses; and when
Python looks for what nobody uses."""

from __future__ import annotations

import ctypes
import gc
import sys
from contextlib import suppress

# ``M_ARENA_MAX`` of glibc's malloc.h.
_ARENA_MAX = -8
_FEW = 2


def share_arenas() -> None:
    """Let all threads take memory from a few arenas.

    By default each thread that answers has one of its own, and keeps as much as its largest answer
    took: with two dozen of them gigabytes, which nobody uses. Nothing where the library has no such
    setting.
    """
    if sys.platform != "linux":
        return
    with suppress(AttributeError, OSError):
        ctypes.CDLL(None).mallopt(_ARENA_MAX, _FEW)


def give_back() -> None:
    """Give what is free back to the system: what sounds were worked out in is kept by the library
    otherwise. Nothing where it has no such call."""
    if sys.platform == "linux":
        with suppress(AttributeError, OSError):
            ctypes.CDLL(None).malloc_trim(0)


def all_is_loaded() -> None:
    """From here on it is looked for what nobody uses, and only among what comes from here on."""
    gc.freeze()
    gc.enable()
