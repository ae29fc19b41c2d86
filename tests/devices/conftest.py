"""A sound server of the test's own, and microphones in it."""

import pytest

from obsidian_wren.devices.sound_server.control import SoundServer
from obsidian_wren.standins.private_server import (
    FakeMicrophone,
    PipeWire,
    PulseAudio,
    environment,
)


@pytest.fixture(params=[PulseAudio, PipeWire], ids=lambda each: each.name)
def sound_server(request, tmp_path_factory, monkeypatch):
    # Names of sockets must be short.
    folder = tmp_path_factory.mktemp("s")
    for name, value in environment(folder).items():
        monkeypatch.setenv(name, value)
    server = request.param(folder)
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
