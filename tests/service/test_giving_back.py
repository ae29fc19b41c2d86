"""What a program at rest gives back to the system."""

import subprocess
import sys

import pytest

# In a process of its own: what others hold is not looked at.
_SCRIPT = """
import re
from pathlib import Path

import numpy as np
from numba import njit

from obsidian_wren.service.heap import give_back


def code_kb():
    parts = re.split(r"^(?=[0-9a-f]+-)", Path("/proc/self/smaps").read_text(), flags=re.M)
    code = [part for part in parts if re.match(r"\\S+ r-xp .*libllvmlite", part)]
    return sum(int(re.search(r"Rss: *(\\d+)", part).group(1)) for part in code)


@njit
def twice(sound):
    return 2.0 * sound


twice(np.ones(4))
before = code_kb()
give_back()
after = code_kb()


@njit
def thrice(sound):
    return 3.0 * sound


print(before, after, float(thrice(np.ones(4)).sum()))
"""


@pytest.mark.skipif(sys.platform != "linux", reason="only Linux says what lies where")
def test_the_compilers_code_goes_and_is_there_when_it_is_needed_again():
    told = subprocess.run(
        [sys.executable, "-c", _SCRIPT], capture_output=True, text=True, check=True
    )
    before, after, answer = map(float, told.stdout.split())
    assert before > 10_000
    assert after < 0.1 * before
    assert answer == 12.0


_SOUNDS = """
import resource

import numpy as np

from obsidian_wren.service.heap import give_back, keep_what_is_freed


def resident():
    return int(open("/proc/self/statm").read().split()[1]) * resource.getpagesize()


def pages_of_forty_sounds():
    # 45 s at 48 kHz, four at a time.
    before = resource.getrusage(resource.RUSAGE_SELF).ru_minflt
    for _ in range(10):
        held = [np.ones(2_160_000) for _ in range(4)]
        held.clear()
    return resource.getrusage(resource.RUSAGE_SELF).ru_minflt - before


keep_what_is_freed()
at_first = resident()
pages_of_forty_sounds()
print(pages_of_forty_sounds(), resident() - at_first)
give_back()
print(resident() - at_first)
"""


@pytest.mark.skipif(sys.platform != "linux", reason="only Linux says what lies where")
def test_what_is_freed_is_used_again_and_given_back_at_rest():
    told = subprocess.run(
        [sys.executable, "-c", _SOUNDS], capture_output=True, text=True, check=True
    )
    pages, kept, left = map(int, told.stdout.split())
    # One such sound is 17 MB, over four thousand pages.
    assert pages < 100
    assert kept > 60e6
    assert left < 1e6


_WHILE_OTHERS_LOAD = """
import threading
from importlib import import_module

from obsidian_wren.service.heap import give_back

over = threading.Event()


def load():
    for name in ("numpy", "scipy.signal", "scipy.optimize", "soundfile", "sqlite3", "ssl"):
        import_module(name)
    over.set()


loading = threading.Thread(target=load)
loading.start()
while not over.is_set():
    give_back()
loading.join()

import numpy as np
import scipy.optimize
import scipy.signal

sections = scipy.signal.butter(2, 0.25, output="sos")
found = scipy.optimize.least_squares(lambda at: at - 3.0, np.zeros(2))
resident = int(open("/proc/self/statm").read().split()[1])
give_back()
print(sections[0, 0], found.x.sum(), int(open("/proc/self/statm").read().split()[1]) < resident)
"""


@pytest.mark.skipif(sys.platform != "linux", reason="only Linux says what lies where")
def test_what_another_thread_loads_meanwhile_is_whole():
    told = subprocess.run(
        [sys.executable, "-c", _WHILE_OTHERS_LOAD], capture_output=True, text=True, check=True
    )
    gain, found, less = told.stdout.split()
    assert float(gain) == pytest.approx(0.09763107)
    assert float(found) == pytest.approx(6.0)
    assert less == "True"


_FORGETS = """
import ctypes

import numpy as np
import scipy.fft

from obsidian_wren.service.heap import forget_transforms


class Counted(ctypes.Structure):
    _fields_ = [(name, ctypes.c_size_t) for name in "abcdefghij"]


library = ctypes.CDLL(None)
library.mallinfo2.restype = Counted


def held_mb():
    # What stands in use in the heap and in mappings of its own (mallinfo(3)).
    counted = library.mallinfo2()
    return (counted.h + counted.e) / 1e6


forget_transforms()
before = held_mb()
for count in (2_000_000, 2_048_000):
    for precision in (np.float32, np.float64):
        scipy.fft.rfft(np.zeros(count, precision))
        scipy.fft.fft(np.zeros(count, precision))
held = held_mb()
forget_transforms()
print(held - before, held_mb() - before)
"""


@pytest.mark.skipif(sys.platform != "linux", reason="only glibc says what stands in use")
def test_what_long_transforms_keep_is_let_go_of():
    told = subprocess.run(
        [sys.executable, "-c", _FORGETS], capture_output=True, text=True, check=True
    ).stdout.split()
    held, left = map(float, told)
    assert held > 30.0
    assert left < 2.0
