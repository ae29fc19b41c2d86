"""A sound server of the test's own, and microphones in it."""

import os
import shutil
from contextlib import suppress

import pytest

from obsidian_wren.devices.sound_server.control import SoundServer
from obsidian_wren.service.opening.opening import close_app, open_app
from obsidian_wren.service.setup import computer_changes, seeing
from obsidian_wren.store.folder import DataFolder
from own_system import own_world
from private_server import (
    FakeMicrophone,
    PipeWire,
    PulseAudio,
    environment,
)
from rigging import change
from shown import shows
from signals import sine
from waiting import wait_until


@pytest.fixture(autouse=True)
def in_time():
    """What a test starts runs before other programs, as a desktop lets its sound do, where that is
    granted."""
    usual = os.getpriority(os.PRIO_PROCESS, 0)
    with suppress(OSError):
        os.setpriority(os.PRIO_PROCESS, 0, -10)
    yield
    os.setpriority(os.PRIO_PROCESS, 0, usual)


@pytest.fixture(params=[PulseAudio, PipeWire], ids=lambda each: each.name)
def sound_server(request, tmp_path_factory, monkeypatch):
    # Names of sockets must be short.
    folder = tmp_path_factory.mktemp("s")
    for name, value in environment(folder).items():
        monkeypatch.setenv(name, value)
    server = request.param(folder, urgent=True)
    server.start()
    yield server
    server.end()


@pytest.fixture
def plugged(sound_server):
    """Gives fake microphones, and hushes them at the end."""
    found = []

    def plug(sound, **more):
        found.append(FakeMicrophone(sound_server.folder, sound, **more))
        return found[-1]

    yield plug
    for each in found:
        each.hush()


@pytest.fixture
def system(sound_server):
    return SoundServer()


@pytest.fixture
def open_own(system, tmp_path, boathouse_data):
    """Open the program over the boathouse on this computer's own sound; ended with the test."""
    opened = []

    def go(data=boathouse_data, folder=None):
        folder = folder or tmp_path / f"own-{len(opened)}"
        if data is not None:
            shutil.copytree(data, folder)
        system.look()
        app = open_app(DataFolder(folder), own_world(system))
        seeing.start_seeing(app)
        opened.append(app)
        return app

    yield go
    for app in opened:
        app.let_go()
        close_app(app)


@pytest.fixture
def own(plugged, open_own):
    """The boathouse's calibration on a desk microphone of this computer."""
    plugged(sine(1000.0, -30.0, 1.0))
    app = open_own()
    wait_until(lambda: "desk" in {device.id for device in shows(app, "computer").devices})
    computer_changes.choose_device(app, "desk")
    change(app, source="system")
    return app
