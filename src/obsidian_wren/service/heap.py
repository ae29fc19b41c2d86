"""How the C library shares out memory among threads, and gives back what nobody uses; and when
Python looks for what nobody uses."""

from __future__ import annotations

import ctypes
import gc
import sys
from contextlib import suppress
from pathlib import Path

# ``M_ARENA_MAX`` of glibc's malloc.h.
_ARENA_MAX = -8
_FEW = 2
# ``MADV_DONTNEED`` of Linux's mman.h.
_DONT_NEED = 4
# LLVM, which runs where a kernel is compiled or loaded, and is larger than all else that is loaded.
_COMPILER = "libllvmlite.so"


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
    """Give back to the system what is free, which the library keeps otherwise, and the code of the
    compiler, which is read again from its file when it runs again. Nothing where there are no such
    calls."""
    if sys.platform != "linux":
        return
    with suppress(AttributeError, OSError):
        library = ctypes.CDLL(None)
        library.malloc_trim(0)
        for first, last in _code_of(_COMPILER):
            # Code is never written to, so the file has all of it.
            library.madvise(ctypes.c_void_p(first), ctypes.c_size_t(last - first), _DONT_NEED)


def _code_of(name: str) -> list[tuple[int, int]]:
    """Where the code of a library lies, by the name of its file (proc(5), ``maps``)."""
    found = []
    for line in Path("/proc/self/maps").read_text().splitlines():
        place, rights, *rest = line.split(maxsplit=5)
        if rights == "r-xp" and rest[-1].endswith(f"/{name}"):
            first, _, last = place.partition("-")
            found.append((int(first, 16), int(last, 16)))
    return found


def all_is_loaded() -> None:
    """From here on it is looked for what nobody uses, and only among what comes from here on."""
    gc.freeze()
    gc.enable()
