"""Sound files read on the command line, each in a process of its own, from its start to its end.

Ten seconds through ``read level``, beside a process that only loads NumPy; two hours of talk
through ``read talk``, with the memory it takes.
"""

from __future__ import annotations

import os
import pathlib
import subprocess
import sys
import tempfile
import time

import numpy as np
import soundfile

WORLD = pathlib.Path(__file__).resolve().parents[1] / "src/obsidian_wren/simulation/boathouse.json"
LONG_S = 7_200
WREN = [sys.executable, "-P", "-m", "obsidian_wren.cli"]


def ran(command: list[str]) -> tuple[float, float]:
    """Seconds, and the most memory in MB."""
    start = time.perf_counter()
    process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    _, status, used = os.wait4(process.pid, 0)
    assert status == 0, command
    return time.perf_counter() - start, used.ru_maxrss / 1000


def spoken(path: str, length_s: int) -> None:
    told = ["--gain", "32", "--take", "passage", "--seconds", str(length_s), path]
    subprocess.run([*WREN, "simulate", str(WORLD), *told], capture_output=True, check=True)


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        short, minute, long = (f"{folder}/{name}.wav" for name in ("short", "minute", "long"))
        spoken(short, 10)
        spoken(minute, 60)
        sound, rate_hz = soundfile.read(minute)
        with soundfile.SoundFile(long, "w", rate_hz, 1) as file:
            for _ in range(LONG_S // 60):
                file.write(sound)
        read = [*WREN, "read", "level", short, "--json"]
        ran(read)
        times = np.array(
            [(ran(read)[0], ran([sys.executable, "-c", "import numpy"])[0]) for _ in range(9)]
        )
        ours, numpy = np.median(times, axis=0)
        print(f"read level, 10 s         {ours:.2f} s  (bar 0.6 s); NumPy alone {numpy:.2f} s")
        took, most = ran([*WREN, "read", "talk", long, "--json"])
        print(f"read talk, two hours     {LONG_S / took:.0f} times real time  (bar 150)")
        print(f"memory of that           {most:.0f} MB  (bar 400 MB)")


if __name__ == "__main__":
    main()
