"""Kernels compiled ahead are what the compiler makes of them here, and are used where they fit."""

import importlib
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
from obsidian_wren.cli.main import main
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
def noted(monkeypatch):
    """What is found where what stands beside the libraries is otherwise."""
    if not kernel.compiled_ahead():
        pytest.skip("nothing was compiled ahead here")
    note = importlib.import_module("obsidian_wren.core.compiled.note")

    def changed(**parts):
        for name, value in parts.items():
            monkeypatch.setattr(note, name, value)
        return kernel.compiled_ahead.__wrapped__()

    return changed


def test_a_library_of_these_sources_for_this_processor_is_used(noted):
    assert "obsidian_wren_core_chain_filters_run_sections" in noted()


@pytest.mark.parametrize(
    "parts", [{"SOURCES": "0123"}, {"NEEDS": ["NEVER"]}, {"LIBRARIES": ["of_another_release"]}]
)
def test_one_that_does_not_fit_is_not(noted, parts):
    assert noted(**parts) == {}


def test_where_there_is_none_none_is_found(monkeypatch):
    monkeypatch.setattr(kernel, "NOTE", "no_note")
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
