"""How the C library shares out memory among threads, and gives back what nobody uses; and when
Python looks for what nobody uses."""

from __future__ import annotations

import ctypes
import gc
import os
import re
import sys
from contextlib import suppress
from pathlib import Path

# ``M_ARENA_MAX``, ``M_MMAP_THRESHOLD`` and ``M_TRIM_THRESHOLD`` of glibc's malloc.h.
_ARENA_MAX, _OWN_FROM, _KEPT_TO = -8, -3, -1
_FEW = 2
# The largest threshold that the library takes: 45 s of sound at 48 kHz are half of it.
_OWN_FROM_BYTES = 32 << 20
_KEPT_BYTES = 256 << 20
# SciPy's transforms keep what they prepared for so many lengths of each kind (``pypocketfft``).
_PLANS_KEPT = 16
# ``MADV_DONTNEED`` of Linux's mman.h.
_DONT_NEED = 4
# ``RTLD_DI_LINKMAP`` of glibc's dlfcn.h.
_LINK_MAP = 2
# A private mapping that may be read and not written to, the file that it is of, and how much of it
# was changed while it might.
_MAPPING = re.compile(
    r"^([0-9a-f]+)-([0-9a-f]+) r-[-x]p .* (/.*)\n(?:[A-Z].*\n)*?Anonymous: +(\d+) kB", re.MULTILINE
)


class _Loaded(ctypes.Structure):
    """A library that is loaded, and the next one: ``struct link_map`` of glibc's link.h."""


_Loaded._fields_ = [
    ("address", ctypes.c_void_p),
    ("name", ctypes.c_char_p),
    ("dynamic", ctypes.c_void_p),
    ("next", ctypes.POINTER(_Loaded)),
    ("before", ctypes.POINTER(_Loaded)),
]


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


def keep_what_is_freed() -> None:
    """Let what is freed be used again by whoever asks next, up to a quarter of a gigabyte.

    By default a long sound is given back at once and asked for again by the next one, page by page,
    which takes as long as a filter over it. :func:`give_back_freed` gives it back when nobody
    works. Nothing where the library has no such setting.
    """
    if sys.platform != "linux":
        return
    with suppress(AttributeError, OSError):
        library = ctypes.CDLL(None)
        library.mallopt(_OWN_FROM, _OWN_FROM_BYTES)
        library.mallopt(_KEPT_TO, _KEPT_BYTES)


def forget_transforms() -> None:
    """Let go of what SciPy keeps of the last transforms of each kind, eight bytes for each sample
    of a long one: as many short ones take their place. A fraction of a millisecond; the next long
    one takes up to twice as long. Nothing where none was made."""
    fft = sys.modules.get("scipy.fft")
    if fft is None:
        return
    import numpy as np

    # While it is being loaded it answers nothing, and has made none.
    with suppress(Exception):
        for length in range(1, _PLANS_KEPT + 1):
            for real, whole in ((np.float32, np.complex64), (np.float64, np.complex128)):
                fft.rfft(np.ones(length, real))
                fft.fft(np.ones(length, whole))


def give_back_freed() -> None:
    """Give back to the system what is free, which the library keeps otherwise: a millisecond.
    Nothing where there is no such call."""
    if sys.platform != "linux":
        return
    with suppress(AttributeError, OSError):
        ctypes.CDLL(None).malloc_trim(0)


def give_back() -> None:
    """Give back what is free, and what was read from the files of all libraries, most of which ran
    once: what is wanted again is found where the system keeps those files. Not while sound runs:
    that takes longer than blocks can wait. Nothing where there are no such calls."""
    give_back_freed()
    if sys.platform != "linux":
        return
    with suppress(AttributeError, OSError):
        library = ctypes.CDLL(None)
        for first, last in _as_in_their_files(_libraries(library)):
            library.madvise(ctypes.c_void_p(first), ctypes.c_size_t(last - first), _DONT_NEED)


def resident_bytes() -> int:
    """How much of the program is in memory now; 0 where the system does not say."""
    with suppress(OSError):
        pages = int(Path("/proc/self/statm").read_text().split()[1])
        return pages * os.sysconf("SC_PAGE_SIZE")
    return 0


def _libraries(library: ctypes.CDLL) -> set[str]:
    """The files of all libraries that lie where they will stay."""
    found = set()
    at = ctypes.POINTER(_Loaded)()
    library.dlinfo(ctypes.c_void_p(library._handle), _LINK_MAP, ctypes.byref(at))
    while at:
        found.add(os.path.realpath(os.fsdecode(at.contents.name or b"")))
        at = at.contents.next
    return found


def _as_in_their_files(libraries: set[str]) -> list[tuple[int, int]]:
    """Stretches of memory that are as they stand in those files: they cannot be written to, and
    none of them was before (proc(5), ``smaps``)."""
    return [
        (int(first, 16), int(last, 16))
        for first, last, name, changed in _MAPPING.findall(Path("/proc/self/smaps").read_text())
        if changed == "0" and name in libraries
    ]


def all_is_loaded() -> None:
    """From here on it is looked for what nobody uses, and only among what comes from here on."""
    gc.freeze()
    gc.enable()
