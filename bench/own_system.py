"""What the program does when this computer changes by itself, on a private sound server.

The microphone is unplugged and plugged in while the program is live, and a program opens the raw
microphone; ten times each. Silence counts from the unplugging to the last sound that a listener
gets, sound again from the plugging in, a wrong pick from the opening of the program until the
program knows it. The page is told at that instant.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable
from pathlib import Path

sys.path.append(str(Path(__file__).resolve().parents[1] / "tests"))

import numpy as np

from obsidian_wren.cli.own_system import voice_command
from obsidian_wren.devices.browser import BrowserStream
from obsidian_wren.devices.sound_server.computer import SystemComputer
from obsidian_wren.devices.sound_server.control import SoundServer
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.live import living
from obsidian_wren.service.opening.opening import close_app, open_app
from obsidian_wren.service.page.overview import overview_json
from obsidian_wren.service.page.views import Overview
from obsidian_wren.service.rig.fields import RigFields
from obsidian_wren.service.setup import computer_changes, rig_changes, seeing, things
from obsidian_wren.simulation.surroundings import around, simulated_world
from obsidian_wren.store.folder import DataFolder
from private_server import FakeMicrophone, PulseAudio, environment

ROOT = Path(__file__).resolve().parents[1]
LOFT = 1
RATE, TIMES = 48_000, 10
QUIET = 1e-4
PATIENCE_S = 30.0


def _shown(app: AppContext) -> Overview:
    return Overview.model_validate_json(overview_json(app))


def until(what: Callable[[], bool]) -> float:
    """Seconds until it is so."""
    start = time.monotonic()
    while not what():
        if time.monotonic() - start > PATIENCE_S:
            raise TimeoutError("it never happened")
        time.sleep(0.002)
    return time.monotonic() - start


class Listener:
    """A program that records, and when it heard sound last."""

    def __init__(self, source: str) -> None:
        asked = ["--format=float32le", f"--rate={RATE}", "--channels=1", "--latency-msec=5"]
        self.heard_s = 0.0
        self.process = subprocess.Popen(
            ["parec", f"--device={source}", *asked], stdout=subprocess.PIPE, bufsize=0
        )
        threading.Thread(target=self._listen, daemon=True).start()

    def _listen(self) -> None:
        assert self.process.stdout is not None
        while data := self.process.stdout.read(480):
            block = np.frombuffer(data[: len(data) // 4 * 4], dtype=np.float32)
            if len(block) and np.abs(block).max() > QUIET:
                self.heard_s = time.monotonic()

    def silence_s(self, start: float) -> float:
        """Until the last sound after ``start``; a second without any is silence."""
        while time.monotonic() < max(self.heard_s, start) + 1.0:
            time.sleep(0.01)
        return max(0.0, self.heard_s - start)

    def sound_s(self, start: float) -> float:
        """Until the first sound after ``start``."""
        until(lambda: self.heard_s > start)
        return self.heard_s - start


def calibrated_on(server: SoundServer, folder: Path) -> None:
    """The demo's calibration in a folder, on the microphone “desk” of a server."""
    app = live_on(server, folder, start=False)
    app.let_go()
    close_app(app)


def live_on(server: SoundServer, folder: Path, *, start: bool = True) -> AppContext:
    # A demo that runs, or was killed, has its sockets there.
    shutil.copytree(ROOT / "demo-data", folder / "data", ignore=shutil.ignore_patterns("*.socket"))
    world = around(server, SystemComputer(server), simulated_world(BrowserStream), voice_command())
    app = open_app(DataFolder(folder / "data"), world)
    seeing.start_seeing(app)
    # A tone is sent, and a steady tone is noise to what reduces noise: this rig has nothing of it.
    things.use_rig(app, LOFT)
    computer_changes.choose_device(app, "desk")
    rig = _shown(app).rig.model_dump(include=set(RigFields.model_fields))
    rig_changes.change_rig(app, RigFields(**{**rig, "source": "system"}))
    if start:
        living.start_run(app)
    return app


def main() -> None:
    with tempfile.TemporaryDirectory(prefix="s") as name:
        folder = Path(name)
        os.environ.update(environment(folder))
        machine = PulseAudio(folder, urgent=True)
        machine.start()
        desk = FakeMicrophone(folder, 0.1 * np.sin(np.arange(RATE) * 0.13))
        server = SoundServer()
        server.look()
        app = live_on(server, folder)
        listener = Listener("obsidian_wren.call")
        gone, back, wrong = [], [], []
        try:
            for _ in range(TIMES):
                listener.sound_s(time.monotonic())
                start = time.monotonic()
                desk.unplug()
                gone.append(listener.silence_s(start))
                desk.plug_in()
                back.append(listener.sound_s(time.monotonic()))
                recorder = subprocess.Popen(["parec", "--device=desk"], stdout=subprocess.DEVNULL)
                wrong.append(until(lambda: any(p.hears == "raw" for p in _shown(app).programs)))
                recorder.kill()
                recorder.wait()
        finally:
            listener.process.kill()
            app.let_go()
            close_app(app)
            machine.end()
    for title, found, unit, bar in (
        ("microphone gone → silence", 1e3 * np.array(gone), "ms", "50 ms"),
        ("back → sound", np.array(back), "s", "1 s"),
        ("wrong pick → known", np.array(wrong), "s", "1 s"),
    ):
        print(
            f"{title:28} median {np.median(found):6.2f} {unit}, worst {found.max():6.2f} {unit}"
            f" of {TIMES} (bar {bar})"
        )


if __name__ == "__main__":
    main()
