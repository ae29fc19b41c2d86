"""A sound server of the test's own, and a microphone in it that is fed at the pace of sound."""

import os
import signal
import subprocess
import threading
import time

import numpy as np
import pulsectl
import pytest

from obsidian_wren.devices.sound_server.control import SoundServer
from signals import RATE
from waiting import wait_until

SCRIPT = "load-module module-native-protocol-unix\nload-module module-always-sink\n"


class PrivateServer:
    """Started in a folder of its own; ended by its processes, never by name."""

    def __init__(self, folder):
        self.folder, self.processes = folder, []
        (folder / "pulse").mkdir(mode=0o700, exist_ok=True)

    def start(self):
        self.begin()
        wait_until((self.folder / "pulse" / "native").exists)
        wait_until(self.answers)

    def run(self, *command):
        self.processes.append(
            subprocess.Popen(
                command, cwd=self.folder, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
            )
        )

    def answers(self):
        try:
            with pulsectl.Pulse("looking") as pulse:
                return bool(pulse.server_info())
        except pulsectl.PulseError:
            return False

    def end(self):
        for process in self.processes:
            process.send_signal(signal.SIGKILL)
            process.wait()
        self.processes = []
        for left in (*(self.folder / "pulse").iterdir(), self.folder / "bus"):
            left.unlink(missing_ok=True)


class Pulse(PrivateServer):
    name = "PulseAudio"

    def begin(self):
        (self.folder / "script.pa").write_text(SCRIPT)
        self.run("pulseaudio", "-n", "--daemonize=no", "--exit-idle-time=-1", "-F", "script.pa")


class Pipe(PrivateServer):
    """With a session bus of its own, which its manager needs."""

    name = "PipeWire"

    def begin(self):
        bus = os.environ["DBUS_SESSION_BUS_ADDRESS"]
        self.run("dbus-daemon", "--session", f"--address={bus}", "--nofork", "--nopidfile")
        wait_until((self.folder / "bus").exists)
        self.run("pipewire")
        wait_until((self.folder / "pipewire-0").exists)
        self.run("wireplumber")
        self.run("pipewire-pulse")


class FakeMicrophone:
    """A pipe source that repeats a sound, ``channels`` the same, until it is unplugged."""

    def __init__(self, folder, sound, *, name="desk", title="Desk mic", channels=1, rate_hz=RATE):
        self.name, self._channels = name, channels
        self._pipe = folder / f"{name}.fake"
        self._data = np.repeat(sound.astype(np.float32)[:, None], channels, axis=1)
        self._title, self._module, self._rate_hz = title, None, rate_hz
        self._stopped = threading.Event()
        self.plug_in()

    def plug_in(self):
        self._stopped.clear()
        with pulsectl.Pulse("fake") as pulse:
            self._module = pulse.module_load(
                "module-pipe-source",
                f"source_name={self.name} file={self._pipe} format=float32le rate={self._rate_hz}"
                f" channels={self._channels}"
                f" source_properties='device.description=\"{self._title}\"'",
            )
        self._writer = threading.Thread(target=self._write, daemon=True)
        self._writer.start()

    def _write(self):
        pipe = os.open(self._pipe, os.O_RDWR | os.O_NONBLOCK)
        at, due = 0, time.monotonic()
        while not self._stopped.wait(max(0.0, due - time.monotonic())):
            block = np.take(self._data, range(at, at + 240), axis=0, mode="wrap")
            try:
                os.write(pipe, block.tobytes())
                at += 240
            except BlockingIOError:
                pass
            due += 240 / self._rate_hz
        os.close(pipe)

    def unplug(self):
        with pulsectl.Pulse("fake") as pulse:
            pulse.module_unload(self._module)
        self._stopped.set()
        self._writer.join()


@pytest.fixture(params=[Pulse, Pipe], ids=lambda each: each.name)
def sound_server(request, tmp_path_factory, monkeypatch):
    # Names of sockets must be short.
    folder = tmp_path_factory.mktemp("s")
    folder.chmod(0o700)
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(folder))
    monkeypatch.setenv("PULSE_RUNTIME_PATH", str(folder / "pulse"))
    monkeypatch.setenv("PULSE_SERVER", f"unix:{folder}/pulse/native")
    monkeypatch.setenv("HOME", str(folder))
    monkeypatch.setenv("PIPEWIRE_RUNTIME_DIR", str(folder))
    monkeypatch.setenv("DBUS_SESSION_BUS_ADDRESS", f"unix:path={folder}/bus")
    server = request.param(folder)
    server.start()
    yield server
    server.end()


@pytest.fixture
def plugged(sound_server):
    """Gives fake microphones, and unplugs them at the end."""
    found = []

    def plug(sound, **more):
        found.append(FakeMicrophone(sound_server.folder, sound, **more))
        return found[-1]

    yield plug
    for each in found:
        each._stopped.set()


@pytest.fixture
def system(sound_server):
    return SoundServer()
