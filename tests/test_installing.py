"""What is installed from one file holds all that the program needs, and knows whether it was
compiled for this processor."""

import os
import subprocess
import sys
import tomllib
import zipfile
from pathlib import Path

import numpy as np
import pytest
import soundfile

import obsidian_wren
from alone import alone
from obsidian_wren import cli
from obsidian_wren.cli import kernels
from obsidian_wren.core.kernel import compiled_ahead

ROOT = Path(__file__).resolve().parents[1]
PACKAGE = Path(obsidian_wren.__file__).parent


@pytest.fixture(scope="module")
def wheel(together):
    folder = together / "dist"
    command = [
        sys.executable,
        "-P",
        "-m",
        "build",
        "--no-isolation",
        "--wheel",
        "--outdir",
        str(folder),
        str(ROOT),
    ]
    # Two that build at once take each other's files away.
    with alone(folder):
        if not list(folder.glob("*.whl")):
            subprocess.run(command, check=True, capture_output=True)
    return next(folder.glob("*.whl"))


@pytest.fixture(scope="module")
def unpacked(wheel, tmp_path_factory):
    folder = tmp_path_factory.mktemp("installed")
    with zipfile.ZipFile(wheel) as packed:
        packed.extractall(folder)
    return folder


def run(unpacked, *command):
    environment = {**os.environ, "PYTHONPATH": str(unpacked)}
    return subprocess.run(
        [sys.executable, *command], env=environment, check=True, capture_output=True, text=True
    ).stdout


def test_everything_that_is_no_module_is_in_it_too(unpacked):
    needed = {
        path.relative_to(PACKAGE)
        for path in PACKAGE.rglob("*")
        if path.is_file() and "__pycache__" not in path.parts and path.suffix != ".pyc"
    }
    held = {
        path.relative_to(unpacked / "obsidian_wren")
        for path in unpacked.rglob("*")
        if path.is_file() and path.is_relative_to(unpacked / "obsidian_wren")
    }
    assert needed - held == set()
    assert any(path.suffix == ".woff2" for path in held)
    assert Path("web/static/index.html") in held


def test_it_measures_from_where_it_was_unpacked(unpacked, tmp_path):
    where = run(unpacked, "-c", "import obsidian_wren; print(obsidian_wren.__file__)")
    assert Path(where.strip()).is_relative_to(unpacked)
    rate = 48_000
    tone = 0.1 * np.sin(2 * np.pi * 1000 * np.arange(5 * rate) / rate)
    soundfile.write(tmp_path / "tone.wav", tone, rate)
    said = run(unpacked, "-m", "obsidian_wren.cli", "read", "level", str(tmp_path / "tone.wav"))
    # AES17: a sine of amplitude 0.1 is at -20 dBFS.
    assert "-20.0" in said
    version = run(unpacked, "-m", "obsidian_wren.cli", "--version")
    told = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]["version"]
    assert version == f"obsidian-wren {told}\n"


def test_it_comes_with_its_kernels_compiled(unpacked):
    asked = "from obsidian_wren.cli.kernels import are_compiled; print(are_compiled())"
    assert run(unpacked, "-c", asked).strip() == str(bool(compiled_ahead()))


@pytest.mark.parametrize(("newer_s", "compiled"), [(1, True), (-1, False)])
def test_compiled_is_what_is_newer_than_the_program(monkeypatch, tmp_path, newer_s, compiled):
    program = tmp_path / "one_pass.py"
    program.touch()
    monkeypatch.setattr(kernels, "_AHEAD", tmp_path / "none")
    monkeypatch.setattr(kernels, "_LAST", program)
    monkeypatch.setenv("NUMBA_CACHE_DIR", str(tmp_path / "own"))
    assert not kernels.are_compiled()
    python = f"py{sys.version_info.major}{sys.version_info.minor}"
    index = tmp_path / "own" / "chain_1" / f"one_pass._run_all-137.{python}.nbi"
    index.parent.mkdir(parents=True)
    index.touch()
    at = program.stat().st_mtime + newer_s
    os.utime(index, (at, at))
    assert kernels.are_compiled() is compiled


def test_where_the_program_cannot_be_written_it_is_kept_in_the_persons_own_cache(
    monkeypatch, tmp_path
):
    # Set first, so that what the program sets is taken back.
    monkeypatch.setenv("NUMBA_CACHE_DIR", "")
    monkeypatch.delenv("NUMBA_CACHE_DIR")
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path))
    monkeypatch.setattr(cli.os, "access", lambda path, mode: False)
    cli.keep_in_own_cache()
    assert os.environ["NUMBA_CACHE_DIR"] == str(tmp_path / "obsidian-wren")


def test_how_far_compiling_is_is_told(monkeypatch):
    numba = pytest.importorskip("numba")
    told = []
    with kernels.telling_how_far(told.append):
        numba.njit(lambda x: x + 1)(1)
    assert told
    assert told[-1].startswith(f"Compiling for this processor: {len(told)} of about ")
    before = len(told)
    numba.njit(lambda x: x + 2)(1)
    assert len(told) == before
