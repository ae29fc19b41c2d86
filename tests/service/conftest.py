"""The services, over takes that are as long as they must be to be known, and no longer."""

import json
import shutil

import pytest

from obsidian_wren.service.takes import beginning
from short import ENOUGH_S


@pytest.fixture
def other_boathouse(boathouse_data, app_over, tmp_path):
    """A second program over another copy of the boathouse."""
    shutil.copytree(boathouse_data, tmp_path / "elsewhere")
    return app_over(tmp_path / "elsewhere")


@pytest.fixture(scope="module")
def plain_calibration(boathouse_data, tmp_path_factory):
    """The boathouse's calibration as a file, as JSON values."""
    from obsidian_wren.devices.browser import BrowserStream
    from obsidian_wren.service.export.exporting import export_calibration
    from obsidian_wren.service.opening.opening import close_app, open_app
    from obsidian_wren.simulation.surroundings import simulated_world
    from obsidian_wren.store.folder import DataFolder

    folder = tmp_path_factory.mktemp("plain") / "data"
    shutil.copytree(boathouse_data, folder)
    app = open_app(DataFolder(folder), simulated_world(BrowserStream), pace="fast")
    try:
        return json.loads(json.dumps(export_calibration(app)))
    finally:
        close_app(app)


@pytest.fixture(autouse=True)
def short_takes(monkeypatch):
    """Takes of usual purposes last as long as they must, unless a test asks for another length."""
    for purpose, seconds in ENOUGH_S.items():
        monkeypatch.setitem(beginning.DEFAULT_SECONDS, purpose, seconds)
