from __future__ import annotations

import pathlib
import sys

import pytest

sys.path.insert(0, str(pathlib.Path(__file__).parent))


@pytest.fixture
def workshop(tmp_path):
    """A fresh program over an empty data folder, simulated takes as fast as they can."""
    from obsidian_wren.devices.browser import BrowserStream
    from obsidian_wren.service.opening import close_workshop, open_workshop
    from obsidian_wren.standins.surroundings import simulated_world
    from obsidian_wren.store.folder import DataFolder

    ws = open_workshop(DataFolder(tmp_path / "data"), simulated_world(BrowserStream), pace="fast")
    yield ws
    close_workshop(ws)
