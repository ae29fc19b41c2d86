"""How the C library shares out memory among threads."""

from __future__ import annotations

import ctypes
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
