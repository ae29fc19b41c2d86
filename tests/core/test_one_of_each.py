"""One stage of every kind that does something, and what is compiled by running them."""

import subprocess
import sys

import numpy as np
import pytest

from obsidian_wren.core.chain.engine import VoiceChain
from obsidian_wren.core.chain.kinds import KINDS
from obsidian_wren.core.chain.one_of_each import one_of_each
from obsidian_wren.core.kernel import compiled_ahead

RATE = 48_000


def noise_with_clicks():
    rng = np.random.default_rng(3)
    sound = rng.normal(0.0, 0.02, 2 * RATE)
    for first in range(RATE // 10, len(sound), RATE // 4):
        sound[first : first + 120] += rng.normal(0.0, 0.2, 120)
    return sound


def test_there_is_one_of_every_kind():
    assert list(one_of_each()) == list(KINDS)
    assert all(stage.on for stage in one_of_each().values())


@pytest.mark.parametrize("kind", KINDS)
def test_each_does_something_to_a_noise(kind):
    sound = noise_with_clicks()
    chain = VoiceChain([one_of_each()[kind]], RATE)
    out = chain.process(sound)
    delay = chain.delay_samples
    through = out[RATE:] - sound[RATE - delay : len(sound) - delay]
    assert np.sqrt(np.mean(through**2)) > 1e-4


# Every chain of two kinds runs in a fresh process; says whether what compiles was loaded.
FRESH = """
import itertools, sys
import numpy as np
from obsidian_wren.core.chain.engine import VoiceChain
from obsidian_wren.core.chain.offline import render
from obsidian_wren.core.chain.one_of_each import one_of_each
sound = np.random.default_rng(1).normal(0.0, 0.05, 9000)
for pair in itertools.combinations(one_of_each().values(), 2):
    chain = VoiceChain(pair, 48_000.0)
    for first in range(0, 4800, 480):
        chain.process(sound[first : first + 480])
    chain.change(pair[:1])
    for first in range(0, 9000, 480):
        chain.process(sound[first : first + 480])
    render(pair, sound, rate_hz=48_000.0)
print("numba" in sys.modules)
"""


@pytest.mark.skipif(not compiled_ahead(), reason="nothing was compiled ahead here")
def test_no_chain_has_anything_left_to_compile():
    told = subprocess.run([sys.executable, "-c", FRESH], capture_output=True, text=True, check=True)
    assert told.stdout.split() == ["False"]
