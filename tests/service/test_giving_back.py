"""What libraries keep of memory is given back when they are asked."""

import subprocess
import sys

import pytest

# In a process of its own: what others hold is not looked at.
_FORGETS = """
import ctypes

import numpy as np
import scipy.fft

from obsidian_wren.service.heap import give_back


class Counted(ctypes.Structure):
    _fields_ = [(name, ctypes.c_size_t) for name in "abcdefghij"]


library = ctypes.CDLL(None)
library.mallinfo2.restype = Counted


def held_mb():
    # What stands in use in the heap and in mappings of its own (mallinfo(3)).
    counted = library.mallinfo2()
    return (counted.h + counted.e) / 1e6


give_back()
before = held_mb()
for count in (2_000_000, 2_048_000):
    for precision in (np.float32, np.float64):
        scipy.fft.rfft(np.zeros(count, precision))
        scipy.fft.fft(np.zeros(count, precision))
held = held_mb()
give_back()
print(held - before, held_mb() - before)
"""


@pytest.mark.skipif(sys.platform != "linux", reason="only Linux says what lies where")
def test_what_transforms_keep_of_long_sounds_is_let_go_of():
    told = subprocess.run(
        [sys.executable, "-c", _FORGETS], capture_output=True, text=True, check=True
    ).stdout.split()
    held, left = map(float, told)
    assert held > 30.0
    assert left < 2.0
