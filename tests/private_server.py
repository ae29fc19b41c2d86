"""A sound server in a folder of its own, and a microphone in it that is fed at the pace of sound:
the sound of a system on a machine that has none.

Nothing of the session's own server is touched, as long as whoever starts one has put
:func:`environment` into its own environment first.
"""

from __future__ import annotations

import fcntl
import os
import shutil
import signal
import subprocess
import threading
import time
from collections.abc import Callable, Sequence
from contextlib import suppress
from pathlib import Path
from typing import ClassVar

import numpy as np
import pulsectl  # type: ignore[import-untyped]

from obsidian_wren.core.decibels import Samples
from obsidian_wren.voice.priority import come_first

_PATIENCE_S = 30.0
_LOOK_S = 0.02
_BLOCK = 240
# Room for two blocks of 32 channels.
_PIPE_BYTES = 1 << 16
_MANAGER = ("wireplumber",)
_SCRIPT = "load-module module-native-protocol-unix\nload-module module-always-sink\n"


def environment(folder: Path) -> dict[str, str]:
    """What points this process, and what it starts, at the server in a folder."""
    return {
        "XDG_RUNTIME_DIR": str(folder),
        "PIPEWIRE_RUNTIME_DIR": str(folder),
        "PULSE_RUNTIME_PATH": str(folder / "pulse"),
        "PULSE_SERVER": f"unix:{folder}/pulse/native",
        "DBUS_SESSION_BUS_ADDRESS": f"unix:path={folder}/bus",
        "HOME": str(folder),
    }


class PrivateServer:
    """Started in a folder that is its own; ended by its processes, never by name.

    ``urgent`` asks the system to run it before other programs, where that is granted.
    """

    name: ClassVar[str]

    def __init__(self, folder: Path, *, urgent: bool = False) -> None:
        self.folder, self._urgent = folder, urgent
        self._processes: list[subprocess.Popen[bytes]] = []
        folder.chmod(0o700)
        (folder / "pulse").mkdir(mode=0o700, exist_ok=True)

    def start(self) -> None:
        """Until it answers. Raises TimeoutError."""
        self._begin()
        _wait((self.folder / "pulse" / "native").exists)
        _wait(_answers)

    def end(self) -> None:
        """At once, as if it had failed."""
        for process in self._processes:
            process.send_signal(signal.SIGKILL)
            process.wait()
        self._processes = []
        for left in (*(self.folder / "pulse").iterdir(), self.folder / "bus"):
            left.unlink(missing_ok=True)

    def _begin(self) -> None:
        raise NotImplementedError

    def _run(self, *command: str) -> None:
        self._processes.append(self._started(command))

    def _started(self, command: Sequence[str]) -> subprocess.Popen[bytes]:
        if self._urgent and shutil.which("chrt") and _may_be_urgent():
            command = ("chrt", "-r", "10", *command)
        quiet = subprocess.DEVNULL
        return subprocess.Popen(command, cwd=self.folder, stdout=quiet, stderr=quiet)


class PulseAudio(PrivateServer):
    """PulseAudio, without a session bus."""

    name = "PulseAudio"

    def _begin(self) -> None:
        (self.folder / "script.pa").write_text(_SCRIPT)
        self._run("pulseaudio", "-n", "--daemonize=no", "--exit-idle-time=-1", "-F", "script.pa")


class PipeWire(PrivateServer):
    """PipeWire with the session bus that its manager needs."""

    name = "PipeWire"
    _ended: threading.Event
    _keeper: threading.Thread | None = None

    def end(self) -> None:
        """At once, as if it had failed."""
        if self._keeper is not None:
            self._ended.set()
            self._keeper.join()
            self._keeper = None
        super().end()

    def _begin(self) -> None:
        bus = environment(self.folder)["DBUS_SESSION_BUS_ADDRESS"]
        self._run("dbus-daemon", "--session", f"--address={bus}", "--nofork", "--nopidfile")
        _wait((self.folder / "bus").exists)
        self._run("pipewire")
        _wait((self.folder / "pipewire-0").exists)
        self._run(*_MANAGER)
        self._run("pipewire-pulse")
        self._ended = threading.Event()
        self._keeper = threading.Thread(target=self._keep_managed, daemon=True)
        self._keeper.start()

    def _keep_managed(self) -> None:
        # As a session does: the manager ends now and then while the rest gets up, and without one
        # no stream is ever joined to a device.
        (place,) = (i for i, each in enumerate(self._processes) if _MANAGER[0] in str(each.args))
        while not self._ended.wait(_LOOK_S):
            if self._processes[place].poll() is not None:
                self._processes[place] = self._started(_MANAGER)


class FakeMicrophone:
    """A microphone of the sound server that repeats a sound ``(n,)``, the same in every channel,
    until it is unplugged, ``block`` samples at once; ``came_round`` is told when the sound begins,
    by the machine's clock."""

    def __init__(
        self,
        folder: Path,
        sound: Samples,
        *,
        rate_hz: int = 48_000,
        channels: int = 1,
        block: int = _BLOCK,
        name: str = "desk",
        title: str = "Desk mic",
        came_round: Callable[[float], None] = lambda at_s: None,
    ) -> None:
        self.name, self._title = name, title
        self._rate_hz, self._channels, self._block = rate_hz, channels, block
        self._pipe, self._came_round = folder / f"{name}.fake", came_round
        self.say(sound)
        self._stopped = threading.Event()
        self._module = 0
        self.plug_in()

    def plug_in(self) -> None:
        """There it is, and it gives sound."""
        self._stopped.clear()
        # What a server that was killed left.
        self._pipe.unlink(missing_ok=True)
        with pulsectl.Pulse("a microphone") as pulse:
            self._module = pulse.module_load(
                "module-pipe-source",
                f"source_name={self.name} file={self._pipe} format=float32le rate={self._rate_hz}"
                f" channels={self._channels}"
                f" source_properties='device.description=\"{self._title}\"'",
            )
            _wait(lambda: any(each.name == self.name for each in pulse.source_list()))
        self._writer = threading.Thread(target=self._write, daemon=True)
        self._writer.start()

    def say(self, sound: Samples) -> None:
        """Another sound ``(n,)`` from now on, or ``(n, channels)``."""
        wide = sound.astype(np.float32)
        if wide.ndim == 1:
            wide = np.repeat(wide[:, None], self._channels, axis=1)
        self._data, self._begins = wide, True

    def unplug(self) -> None:
        """It is gone from the system."""
        with pulsectl.Pulse("a microphone") as pulse:
            pulse.module_unload(self._module)
        self.hush()

    def hush(self) -> None:
        """It gives nothing more."""
        self._stopped.set()
        self._writer.join()

    def _write(self) -> None:
        # A real one is never late: neither is this one beside other programs.
        come_first()
        pipe = os.open(self._pipe, os.O_RDWR | os.O_NONBLOCK)
        fcntl.fcntl(pipe, fcntl.F_SETPIPE_SZ, _PIPE_BYTES)
        at, due = 0, time.monotonic()
        while not self._stopped.wait(max(0.0, due - time.monotonic())):
            data = self._data
            if self._begins:
                self._begins, at = False, 0
            block = np.take(data, range(at, at + self._block), axis=0, mode="wrap")
            # Nobody listens where it is full.
            now_s = time.monotonic()
            with suppress(BlockingIOError):
                os.write(pipe, block.tobytes())
                if at % len(data) < self._block:
                    self._came_round(now_s)
                at += self._block
            due += self._block / self._rate_hz
        os.close(pipe)


def _answers() -> bool:
    try:
        with pulsectl.Pulse("is it there") as pulse:
            return bool(pulse.server_info())
    except pulsectl.PulseError:
        return False


def _may_be_urgent() -> bool:
    tried = subprocess.run(["chrt", "-r", "10", "true"], capture_output=True, check=False)
    return tried.returncode == 0


def _wait(what: Callable[[], bool]) -> None:
    end = time.monotonic() + _PATIENCE_S
    while not what():
        if time.monotonic() > end:
            raise TimeoutError("the sound server did not start")
        time.sleep(_LOOK_S)
