"""Memory that libraries keep, and give back to the system only when they are asked."""

from __future__ import annotations

import ctypes
import sys
from contextlib import suppress

# ``M_ARENA_MAX`` of glibc's malloc.h.
_ARENA_MAX = -8
_FEW = 2
# SciPy's transforms keep what they prepared for so many lengths of each kind (``pypocketfft``).
_PLANS_KEPT = 16


def share_arenas() -> None:
    """Let all threads take memory from a few arenas: by default each thread that answers has one of
    its own, and keeps as much as its largest answer took. Nothing where the library has no such
    setting."""
    if sys.platform != "linux":
        return
    with suppress(AttributeError, OSError):
        ctypes.CDLL(None).mallopt(_ARENA_MAX, _FEW)


def give_back() -> None:
    """Give back what is free, and what SciPy keeps of its last long transforms, eight bytes for
    each sample: as many short ones take their place. A few milliseconds."""
    import numpy as np
    import scipy.fft

    for length in range(1, _PLANS_KEPT + 1):
        for real, whole in ((np.float32, np.complex64), (np.float64, np.complex128)):
            scipy.fft.rfft(np.ones(length, real))
            scipy.fft.fft(np.ones(length, whole))
    if sys.platform != "linux":
        return
    with suppress(AttributeError, OSError):
        ctypes.CDLL(None).malloc_trim(0)
