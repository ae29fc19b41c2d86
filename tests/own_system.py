"""This computer's own sound around the program, and real programs that record and play."""

import os
import subprocess
import threading
import time

import numpy as np
import pulsectl

from obsidian_wren.cli.own_system import voice_command
from obsidian_wren.devices.browser import BrowserStream
from obsidian_wren.devices.sound_server.computer import SystemComputer
from obsidian_wren.simulation.surroundings import around, simulated_world
from obsidian_wren.voice import asking, records
from signals import RATE

CALL = "obsidian_wren.call"


def own_world(system):
    return around(system, SystemComputer(system), simulated_world(BrowserStream), voice_command())


class Recording:
    """A real program that records, and what it hears."""

    def __init__(self, source, name="Walk recorder"):
        self.process = subprocess.Popen(
            [
                "parec",
                f"--device={source}",
                f"--client-name={name}",
                f"--rate={RATE}",
                "--channels=1",
                "--format=float32le",
                "--latency-msec=20",
            ],
            stdout=subprocess.PIPE,
        )

    def hears(self, seconds=0.25):
        # What waited in the pipe was heard before.
        os.set_blocking(self.process.stdout.fileno(), False)
        self.process.stdout.read()
        found = b""
        end = time.monotonic() + 60.0
        while len(found) < round(seconds * RATE) * 4:
            assert time.monotonic() < end, "nothing was heard, not even silence"
            time.sleep(0.01)
            found += self.process.stdout.read() or b""
        return np.frombuffer(found[: round(seconds * RATE) * 4], dtype=np.float32).astype(float)

    def __enter__(self):
        return self

    def __exit__(self, *_):
        self.process.kill()
        self.process.wait()


class Playing:
    """A real program that plays a tone without end."""

    def __init__(self, hz, name="Editor call", sink=None):
        sound = (0.1 * np.sin(2 * np.pi * hz * np.arange(RATE * 60) / RATE)).astype(np.float32)
        to = [f"--device={sink}"] if sink else []
        self.process = subprocess.Popen(
            [
                "pacat",
                f"--rate={RATE}",
                "--channels=1",
                "--format=float32le",
                f"--client-name={name}",
                "--latency-msec=30",
                *to,
            ],
            stdin=subprocess.PIPE,
        )

        def feed():
            try:
                while True:
                    self.process.stdin.write(sound.tobytes())
            except (BrokenPipeError, ValueError):
                return

        threading.Thread(target=feed, daemon=True).start()

    def __enter__(self):
        return self

    def __exit__(self, *_):
        self.process.kill()
        self.process.wait()


def end_voice(folder):
    """End a voice that its page left."""
    if asking.found(folder / "voice.socket") is not None:
        asking.Asking(folder / "voice.socket").ask(records.End())


def sink(name):
    with pulsectl.Pulse("a sink") as pulse:
        pulse.module_load("module-null-sink", f"sink_name={name}")


def tone_of(sound, hz):
    at = np.arange(len(sound)) / RATE
    window = np.hanning(len(sound))
    found = abs(np.sum(sound * window * np.exp(-2j * np.pi * hz * at))) / window.sum()
    return 20 * np.log10(2 * found + 1e-12)
