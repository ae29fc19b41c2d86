from __future__ import annotations

import os
import pathlib
import shutil
import subprocess
import sys

import pytest
from filelock import FileLock

sys.path.insert(0, str(pathlib.Path(__file__).parent))


@pytest.fixture(scope="session")
def boathouse_data(tmp_path_factory):
    """The boathouse's data folder, made once by the command that makes the demo's, whoever of the workers needs it first."""
    together = tmp_path_factory.getbasetemp()
    if "PYTEST_XDIST_WORKER" in os.environ:
        together = together.parent
    folder = together / "boathouse" / "data"
    with FileLock(together / "boathouse.lock"):
        if not folder.exists():
            command = [sys.executable, "-m", "obsidian_wren.cli", "demo", "--prepare", "--data", str(folder)]
            subprocess.run(command, check=True, stdout=subprocess.DEVNULL)
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
