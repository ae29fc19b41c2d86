"""Kernels compiled ahead are what the compiler makes of them here, and are used where they fit."""

import json
import subprocess
import sys

import numpy as np
import pytest
import soundfile

from obsidian_wren.core import kernel
from obsidian_wren.core.chain import filters
from obsidian_wren.core.measure import levels
from obsidian_wren.core.measure.loudness import k_weighting_sections

RATE = 48_000
NOISE = np.random.default_rng(5).normal(0.0, 0.1, RATE)

READ = """
import json, sys
from obsidian_wren.cli import main
try:
    main(["read", "level", sys.argv[1], "--json"])
finally:
    print(json.dumps([n for n in ("numba", "scipy.fft", "scipy.signal") if n in sys.modules]))
"""

RUN = """
import json, sys
import numpy as np
from obsidian_wren.core import kernel
if sys.argv[1] == "here":
    kernel.compiled_ahead = dict
from obsidian_wren.core.chain.engine import VoiceChain
from obsidian_wren.core.chain.one_of_each import one_of_each
noise = np.random.default_rng(5).normal(0.0, 0.1, 24_000)
out = VoiceChain([one_of_each()["compressor"]], 48_000.0).process(noise)
print(json.dumps([out.tolist(), "numba" in sys.modules]))
"""


def told_by(script, *arguments):
    command = [sys.executable, "-c", script, *arguments]
    run = subprocess.run(command, capture_output=True, text=True, check=True)
    return run.stdout.splitlines()


@pytest.fixture
def note(monkeypatch, tmp_path):
    """What is written beside the libraries, to be written otherwise."""
    if not kernel.NOTE.is_file():
        pytest.skip("nothing was compiled ahead here")
    monkeypatch.setattr(kernel, "NOTE", tmp_path / "kernels.json")
    told = json.loads((kernel.COMPILED / "kernels.json").read_text())

    def changed(**parts):
        kernel.NOTE.write_text(json.dumps({**told, **parts}))
        return kernel.compiled_ahead.__wrapped__()

    return changed


def test_a_library_of_these_sources_for_this_processor_is_used(note):
    assert kernel.symbol_of(filters.filtered).replace("filtered", "run_sections") in note()


@pytest.mark.parametrize(
    "parts",
    [{"sources": "0123"}, {"needs": ["NEVER"]}, {"libraries": ["wren_pass.cpython-30.so"]}],
)
def test_one_that_does_not_fit_is_not(note, parts):
    assert note(**parts) == {}


def test_no_note_or_a_torn_one_is_no_library(note):
    kernel.NOTE.write_text("{")
    assert kernel.compiled_ahead.__wrapped__() == {}
    kernel.NOTE.unlink()
    assert kernel.compiled_ahead.__wrapped__() == {}


def test_a_stage_sounds_the_same_compiled_ahead_and_here():
    ahead, loaded = json.loads(told_by(RUN, "ahead")[-1])
    here, compiler_loaded = json.loads(told_by(RUN, "here")[-1])
    assert loaded is not bool(kernel.compiled_ahead())
    assert compiler_loaded
    # Other instructions round otherwise.
    assert np.max(np.abs(np.subtract(ahead, here))) < 1e-9


def test_a_sound_is_read_without_what_compiles(tmp_path):
    path = tmp_path / "sound.wav"
    soundfile.write(path, 0.3 * NOISE, RATE, subtype="FLOAT")
    told = told_by(READ, str(path))
    assert json.loads(told[-1]) == ([] if kernel.compiled_ahead() else ["numba"])
    read = json.loads("".join(told[:-1]))
    sound, _ = soundfile.read(path)
    assert read["true_peak_dbtp"] == round(levels.true_peak_dbtp(sound), 2)
    weighted = filters.filtered(k_weighting_sections(RATE), sound)
    lufs = -0.691 + 10.0 * np.log10(np.mean(weighted**2))
    assert read["loudness_lufs"] == pytest.approx(lufs, abs=0.05)
