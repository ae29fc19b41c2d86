from __future__ import annotations

import os
import pathlib
import shutil
import subprocess
import sys

import pytest
from filelock import FileLock

# As the program sets it for itself, before NumPy is imported.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
sys.path.insert(0, str(pathlib.Path(__file__).parent))


@pytest.fixture(scope="session")
def boathouse_data(tmp_path_factory):
    """The boathouse's data folder over short takes, made once by the command that makes the demo's, by the worker who needs it first."""
    together = tmp_path_factory.getbasetemp()
    if "PYTEST_XDIST_WORKER" in os.environ:
        together = together.parent
    folder = together / "boathouse" / "data"
    with FileLock(together / "boathouse.lock"):
        if not folder.exists():
            prepare = pathlib.Path(__file__).parent / "short.py"
            subprocess.run([sys.executable, str(prepare), str(folder)], check=True, stdout=subprocess.DEVNULL)
    return folder


@pytest.fixture
def boathouse(boathouse_data, workshop_over, tmp_path):
    """A program over a copy of the boathouse."""
    shutil.copytree(boathouse_data, tmp_path / "data")
    return workshop_over(tmp_path / "data")


@pytest.fixture
def workshop(workshop_over, tmp_path):
    """A program over an empty data folder."""
    return workshop_over(tmp_path / "data")


@pytest.fixture
def workshop_over():
    """Open the program over a folder, simulated takes as fast as they can."""
    from obsidian_wren.devices.browser import BrowserStream
    from obsidian_wren.service.opening import close_workshop, open_workshop
    from obsidian_wren.standins.surroundings import simulated_world
    from obsidian_wren.store.folder import DataFolder

    opened = []

    def go(folder):
        opened.append(open_workshop(DataFolder(folder), simulated_world(BrowserStream), pace="fast"))
        return opened[-1]

    yield go
    for ws in opened:
        close_workshop(ws)
