"""From the start of the program to the first page and to the first state, and how much script
the page loads; the first state also where none was left, as in a new folder, or where the program
was killed in the middle of its work."""

from __future__ import annotations

import gzip
import pathlib
import re
import subprocess
import sys
import tempfile
import time
import urllib.request

import numpy as np

STATIC = pathlib.Path(__file__).resolve().parents[1] / "src/obsidian_wren/web/static"


def once(data: str) -> tuple[float, float]:
    start = time.perf_counter()
    command = [
        sys.executable,
        "-P",
        "-m",
        "obsidian_wren.cli",
        "demo",
        "--no-token",
        "--port",
        "0",
        "--data",
        data,
    ]
    program = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    try:
        url = ""
        while not url:
            found = re.search(r"http://[\d.:]+/", program.stdout.readline())
            url = found.group() if found else ""
        urllib.request.urlopen(url).read()
        page = time.perf_counter() - start
        urllib.request.urlopen(url + "api/state").read()
        return page, time.perf_counter() - start
    finally:
        program.terminate()
        program.wait()


def main() -> None:
    with tempfile.TemporaryDirectory() as data:
        once(data)
        times = np.array([once(data) for _ in range(5)])
        unknown = []
        for _ in range(5):
            (pathlib.Path(data) / "left-state.json").unlink()
            unknown.append(once(data)[1])
    page, state = np.median(times, axis=0)
    print(f"first page after start   {page:.2f} s  (bar 1 s)")
    print(f"first state after start  {state:.2f} s  (bar 0.6 s)")
    print(f"first state, none left   {np.median(unknown):.2f} s")
    script = sum(len(gzip.compress(path.read_bytes())) for path in STATIC.rglob("*.js"))
    print(f"script, compressed       {script / 1000:.0f} kB  (bar 150 kB)")


if __name__ == "__main__":
    main()
