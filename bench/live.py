"""From a microphone of the system to a program that listens, through a calibration.

A private sound server, a fake microphone that clicks every two seconds, ``obsidian-wren live`` with
a voice chain without noise reduction, and a program that listens to the input. The delay is from
when the click would be in the air to its block in the listener's hands: the whole way, twice
through the server.
"""

from __future__ import annotations

import contextlib
import json
import os
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Iterator
from pathlib import Path

sys.path.append(str(Path(__file__).resolve().parents[1] / "tests"))

import numpy as np

from obsidian_wren.core.chain.kinds import KINDS
from obsidian_wren.devices.sound_server.control import SoundServer
from private_server import FakeMicrophone, PulseAudio, environment

RATE = 48_000
SECONDS = float(os.environ.get("OBSIDIAN_WREN_BENCH_SECONDS", "20"))
CLICK = 0.05
# A click is the first sample of what the fake microphone sends at once, so it is so old by then.
BLOCK_S = 0.005
LIVE = (sys.executable, "-P", "-m", "obsidian_wren.cli", "live", "--json")
INPUT = "obsidian_wren.command-line"
# What a take through the boathouse is given: high-pass, gate, equalizer, compressor, limiter.
CHAIN = {
    "highpass": {"frequency_hz": 66.0, "order": 2},
    "gate": {
        "threshold_dbfs": -56.0,
        "hysteresis_db": 3.0,
        "ratio": 100.0,
        "range_db": 12.0,
        "attack_ms": 0.8,
        "hold_ms": 150.0,
        "release_ms": 95.0,
        "look_ahead_ms": 0.8,
        "sidechain_hz": 80.0,
    },
    "compressor": {
        "threshold_dbfs": -30.0,
        "ratio": 2.1,
        "knee_db": 6.0,
        "attack_ms": 3.0,
        "release_ms": 112.0,
        "makeup_db": 6.0,
        "sidechain_hz": 75.0,
    },
    "limiter": {"ceiling_dbtp": -3.0, "release_ms": 100.0},
}


def voices() -> list[int]:
    """The processes of voices."""
    found = subprocess.run(
        ["pgrep", "-f", "obsidian_wren.cli.voice"], stdout=subprocess.PIPE, text=True, check=False
    )
    return [int(line) for line in found.stdout.split()]


def unit(kind: str, name: str) -> str:
    return KINDS[kind].parameter(name).unit


def calibration(folder: Path) -> Path:
    def stage(kind: str) -> dict[str, object]:
        held = {
            name: {
                "value": value,
                "unit": unit(kind, name),
                "derived": False,
                "pinned": True,
                "because": "bench",
            }
            for name, value in CHAIN[kind].items()
        }
        return {"kind": kind, "on": True, "settings": held}

    path = folder / "calibration.json"
    path.write_text(
        json.dumps(
            {
                "format": "obsidian-wren/calibration",
                "version": 1,
                "rig": {},
                "readings": {},
                "chain": [stage(kind) for kind in CHAIN],
                "feeds": [],
            }
        )
    )
    return path


@contextlib.contextmanager
def busy(programs: int) -> Iterator[None]:
    loops = [subprocess.Popen([sys.executable, "-c", "while True: pass"]) for _ in range(programs)]
    try:
        yield
    finally:
        for loop in loops:
            loop.kill()
            loop.wait()


def spent_s(process_id: int) -> float:
    fields = Path(f"/proc/{process_id}/stat").read_text().rsplit(")", 1)[1].split()
    return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")


def measured(folder: Path, label: str, *more: str, sent_s: float = BLOCK_S) -> None:
    clicked: list[float] = []
    # Every second click falls into the other half of the program's blocks.
    sound = np.zeros(2 * RATE + round(sent_s * RATE))
    sound[:24] = 0.5
    microphone = FakeMicrophone(
        folder,
        sound,
        block=round(sent_s * RATE),
        came_round=lambda at_s: clicked.append(at_s - sent_s),
    )
    running = subprocess.Popen(
        [*LIVE, "--calibration", str(calibration(folder)), *more],
        stdout=subprocess.PIPE,
        text=True,
    )
    assert running.stdout is not None
    told = [json.loads(running.stdout.readline())]
    reading = threading.Thread(
        target=lambda: told.extend(json.loads(line) for line in running.stdout or ()), daemon=True
    )
    reading.start()
    listener = SoundServer().open_microphone(INPUT, block_s=0.0025)
    # What waited in the pipes before anybody listened is none of it.
    listener.read(RATE)
    arrived: list[float] = []
    (voice,) = voices()
    before, start = spent_s(voice), time.monotonic()
    loud = False
    while time.monotonic() < start + SECONDS:
        was, loud = loud, bool(np.abs(listener.read(120)).max() > CLICK)
        if loud and not was:
            arrived.append(time.monotonic())
    share = (spent_s(voice) - before) / (time.monotonic() - start)
    gaps = told[-1]["gaps"] - told[0]["gaps"]
    running.terminate()
    running.wait()
    listener.close()
    microphone.unplug()
    sent = np.array(clicked)
    delays = [1e3 * (at - sent[sent < at][-1]) for at in arrived if (sent < at).any()]
    print(
        f"{label:28} median {np.median(delays):5.1f} ms, worst {max(delays):5.1f} ms of"
        f" {len(delays)} clicks; {gaps} gaps; {100 * share:.0f} % of a core"
    )


def main() -> None:
    print(
        f"microphone to listener, {SECONDS:.0f} s each (bar: median 10 ms, 6 ms in blocks of"
        " 2.5 ms; worst 25 ms; 0 gaps)"
    )
    with tempfile.TemporaryDirectory(prefix="s") as name:
        folder = Path(name)
        os.environ.update(environment(folder))
        server = PulseAudio(folder, urgent=True)
        server.start()
        try:
            measured(folder, "calm")
            measured(folder, "calm, blocks of 2.5 ms", "--block", "2.5")
            measured(folder, "the same, also as it sends", "--block", "2.5", sent_s=0.0025)
            with busy(os.cpu_count() or 1):
                measured(folder, "one busy process a core")
        finally:
            server.end()


if __name__ == "__main__":
    main()
