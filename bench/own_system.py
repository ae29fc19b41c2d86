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
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np

from obsidian_wren.devices.browser import BrowserStream
from obsidian_wren.devices.sound_server.computer import SystemComputer
from obsidian_wren.devices.sound_server.control import SoundServer
from obsidian_wren.devices.sound_server.microphone import Microphone
from obsidian_wren.service.live import living
from obsidian_wren.service.opening.opening import close_workshop, open_workshop
from obsidian_wren.service.page.overview import overview
from obsidian_wren.service.rig.fields import RigFields
from obsidian_wren.service.setup import computer_changes, rig_changes, seeing
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.standins.private_server import FakeMicrophone, PulseAudio, environment
from obsidian_wren.standins.surroundings import around, simulated_world
from obsidian_wren.store.folder import DataFolder

ROOT = Path(__file__).resolve().parents[1]
RATE, TIMES = 48_000, 10
QUIET = 1e-4
PATIENCE_S = 30.0


def until(what: Callable[[], bool]) -> float:
    """Seconds until it is so."""
    start = time.monotonic()
    while not what():
        if time.monotonic() - start > PATIENCE_S:
            raise TimeoutError("it never happened")
        time.sleep(0.002)
    return time.monotonic() - start


def sounds(listener: Microphone) -> bool:
    return bool(np.abs(listener.read(120)).max() > QUIET)


def silence_s(listener: Microphone, start: float) -> float:
    """When the last sound came, after ``start``; a second without any is silence."""
    last = start
    while time.monotonic() < last + 1.0:
        if sounds(listener):
            last = time.monotonic()
    return last - start


def live_on(server: SoundServer, folder: Path) -> Workshop:
    shutil.copytree(ROOT / "demo-data", folder / "data")
    world = around(server, SystemComputer(server), simulated_world(BrowserStream))
    ws = open_workshop(DataFolder(folder / "data"), world)
    seeing.start_seeing(ws)
    computer_changes.choose_device(ws, "desk")
    rig = overview(ws).rig.model_dump(include=set(RigFields.model_fields))
    rig_changes.change_rig(ws, RigFields(**{**rig, "source": "system"}))
    living.start_run(ws)
    return ws


def main() -> None:
    with tempfile.TemporaryDirectory(prefix="s") as name:
        folder = Path(name)
        os.environ.update(environment(folder))
        machine = PulseAudio(folder, urgent=True)
        machine.start()
        desk = FakeMicrophone(folder, 0.1 * np.sin(np.arange(RATE) * 0.13))
        server = SoundServer()
        server.look()
        ws = live_on(server, folder)
        listener = server.open_microphone("obsidian_wren.call", block_s=0.0025)
        gone, back, wrong = [], [], []
        try:
            for _ in range(TIMES):
                until(lambda: sounds(listener))
                start = time.monotonic()
                desk.unplug()
                gone.append(silence_s(listener, start))
                desk.plug_in()
                back.append(until(lambda: sounds(listener)))
                recorder = subprocess.Popen(["parec", "--device=desk"], stdout=subprocess.DEVNULL)
                wrong.append(until(lambda: any(p.hears == "raw" for p in overview(ws).programs)))
                recorder.kill()
                recorder.wait()
        finally:
            listener.close()
            ws.let_go()
            close_workshop(ws)
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
