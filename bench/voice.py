"""The voice beside what the sound server itself loses, heard by a program of its own.

A private sound server, a microphone with a tone, and three programs that record at the same time:
the microphone itself, a plain loopback of the server, and the feed of ``obsidian-wren live``. A
break in the tone is a gap; those that the microphone has at the same instant are nobody's. Beside
it start, memory and processor time of the voice; and, since one machine is not another, how long
Python takes here to load NumPy and end.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

sys.path.append(str(Path(__file__).resolve().parents[1] / "tests"))

import numpy as np
import numpy.typing as npt
import pulsectl  # type: ignore[import-untyped]

from live import INPUT, LIVE, RATE, calibration
from private_server import (
    PipeWire,
    PrivateServer,
    PulseAudio,
    environment,
)

SECONDS = float(os.environ.get("OBSIDIAN_WREN_BENCH_SECONDS", "30"))
# Neither 5 nor 10 nor 20 ms nor a quantum are whole periods of it.
TONE_HZ = 1234.5
FRAME = 240
# A gap of either within so many frames of one of the microphone is the microphone's.
NEAR = 12
# Radians from one frame to the next, and the share of the usual size.
MOST_JUMP, LEAST_SIZE = 0.15, 0.7
BUSY = "while True: pass"
# In a process of its own: what holds this one up would make it late, as no real one is.
MICROPHONE = """
import sys
from pathlib import Path
import numpy as np
sys.path.insert(0, sys.argv[4])
from private_server import FakeMicrophone
folder, tone_hz, rate = Path(sys.argv[1]), float(sys.argv[2]), int(sys.argv[3])
tone = 0.1 * np.sin(2 * np.pi * tone_hz * np.arange(2 * rate) / rate)
microphone = FakeMicrophone(folder, tone)
print("there", flush=True)
sys.stdin.read()
"""


class Heard:
    """What a program of its own records of a source, from when it is asked for."""

    def __init__(self, source: str) -> None:
        self.process = subprocess.Popen(
            [
                *("parec", f"--device={source}", f"--rate={RATE}", "--channels=1"),
                *("--format=float32le", "--latency-msec=40"),
            ],
            stdout=subprocess.PIPE,
        )
        self._pieces: list[bytes] = []
        threading.Thread(target=self._read, daemon=True).start()

    def _read(self) -> None:
        assert self.process.stdout is not None
        while piece := self.process.stdout.read(4096):
            self._pieces.append(piece)

    def forget(self) -> None:
        self._pieces = []

    def sound(self) -> npt.NDArray[np.float64]:
        whole = b"".join(self._pieces)
        return np.frombuffer(whole[: len(whole) // 4 * 4], dtype=np.float32).astype(np.float64)

    def end(self) -> None:
        self.process.kill()
        self.process.wait()


def breaks(sound: npt.NDArray[np.float64]) -> npt.NDArray[np.int64]:
    """The frames of 5 ms at which the tone breaks, breaks that go on counted once."""
    count = len(sound) // FRAME
    at = np.arange(count * FRAME) / RATE
    turned = sound[: count * FRAME] * np.exp(-2j * np.pi * TONE_HZ * at)
    sums = turned.reshape(count, FRAME).mean(axis=1)
    size = np.abs(sums)
    jump = np.abs(np.angle(sums[1:] * np.conj(sums[:-1])))
    bad = np.flatnonzero((jump > MOST_JUMP) | (size[1:] < LEAST_SIZE * np.median(size))) + 1
    return bad[np.diff(bad, prepend=-NEAR) >= NEAR]


@contextmanager
def busy(count: int) -> Iterator[None]:
    processes = [subprocess.Popen([sys.executable, "-c", BUSY]) for _ in range(count)]
    try:
        yield
    finally:
        for process in processes:
            process.kill()
            process.wait()


def of_process(pid: int) -> tuple[float, float]:
    """Proportional set in MB, processor time in seconds."""
    stat = Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()
    rollup = Path(f"/proc/{pid}/smaps_rollup").read_text().splitlines()
    (pss,) = (int(line.split()[1]) for line in rollup if line.startswith("Pss:"))
    return pss / 1000.0, (int(stat[11]) + int(stat[12])) / os.sysconf("SC_CLK_TCK")


def voice_of(front: int) -> int:
    (child,) = Path(f"/proc/{front}/task/{front}/children").read_text().split()
    return int(child)


@contextmanager
def looped(kind: type[PrivateServer]) -> Iterator[tuple[PrivateServer, Path]]:
    """A private server and its folder, with a microphone that hears a tone and a loopback of it."""
    with tempfile.TemporaryDirectory(prefix="s", dir="/tmp") as name:
        folder = Path(name)
        # Kernels are compiled once, wherever the server's own folder is.
        os.environ.setdefault("XDG_CACHE_HOME", str(Path.home() / ".cache"))
        os.environ.update(environment(folder))
        server = kind(folder, urgent=True)
        server.start()
        microphone = subprocess.Popen(
            [sys.executable, "-c", MICROPHONE, str(folder), str(TONE_HZ), str(RATE), sys.path[-1]],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
        )
        assert microphone.stdout is not None
        microphone.stdout.readline()
        try:
            with pulsectl.Pulse("a loopback") as pulse:
                pulse.module_load("module-null-sink", "sink_name=loop rate=48000")
                pulse.module_load("module-loopback", "source=desk sink=loop latency_msec=40")
            yield server, folder
        finally:
            microphone.kill()
            microphone.wait()
            server.end()


def numpy_s() -> float:
    """Seconds that Python takes to load NumPy and end: the median of five."""
    found = []
    for _ in range(5):
        began = time.monotonic()
        subprocess.run([sys.executable, "-c", "import numpy"], check=True)
        found.append(time.monotonic() - began)
    return sorted(found)[2]


def run(kind: type[PrivateServer]) -> None:
    with looped(kind) as (server, folder):
        began = time.monotonic()
        live = subprocess.Popen(
            [*LIVE, "--calibration", str(calibration(folder)), "--microphone", "desk"],
            stdout=subprocess.PIPE,
            text=True,
        )
        assert live.stdout is not None
        # What it says would fill the pipe.
        said: list[str] = []
        threading.Thread(target=lambda: said.extend(live.stdout), daemon=True).start()
        with pulsectl.Pulse("a look") as pulse:
            while INPUT not in {source.name for source in pulse.source_list()}:
                time.sleep(0.01)
        first = Heard(INPUT)
        while not first.sound().any():
            time.sleep(0.005)
        took_s = time.monotonic() - began
        print(f"{server.name}: first treated sound after {took_s:.2f} s; NumPy {numpy_s():.2f} s")
        first.end()
        heard = {
            "microphone": Heard("desk"),
            "loopback": Heard("loop.monitor"),
            "live": Heard(INPUT),
        }
        time.sleep(2.0)
        for count in (0, 2, 4):
            with busy(count):
                time.sleep(1.0)
                for each in heard.values():
                    each.forget()
                pss, before_s = of_process(voice_of(live.pid))
                time.sleep(SECONDS)
                _, after_s = of_process(voice_of(live.pid))
                found = {name: breaks(each.sound()) for name, each in heard.items()}
            raw = found.pop("microphone")
            own = {
                name: sum(not len(raw) or np.abs(raw - one).min() > 4 * NEAR for one in at)
                for name, at in found.items()
            }
            per_minute = 60.0 / SECONDS
            print(
                f"  {count} busy: gaps a minute: live {own['live'] * per_minute:5.1f}, loopback"
                f" {own['loopback'] * per_minute:5.1f} (microphone {len(raw) * per_minute:5.1f});"
                f" voice {pss:.0f} MB, {(after_s - before_s) / SECONDS:.3f} of a core"
            )
        print(f"  delay {json.loads(said[-1])['delay_ms']:.1f} ms to the feed, as live says")
        for each in heard.values():
            each.end()
        live.terminate()
        live.wait()


if __name__ == "__main__":
    for each in (PulseAudio, PipeWire):
        run(each)
