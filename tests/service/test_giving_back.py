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
