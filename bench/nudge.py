"""A click in a running program over the demo's calibration: how long until it is answered, how long
until all that follows from it is there, how many bytes the answer takes; how often a dragged edge
is answered; and the memory (proportional set) of the page's program and of the worker at the first
state, after the first click, after two hundred of every kind, and once the worker has rested.

Before what follows was worked out behind the answer, a nudge of the high-pass was answered after
1.3 s, of the compressor after 0.8 s, undo after 1.6 s, with 105 to 205 kB; memory was 242 MB at the
first state and 1.8 GB after forty clicks.
"""

from __future__ import annotations

import gzip
import json
import pathlib
import queue
import re
import subprocess
import sys
import tempfile
import threading
import time
import urllib.request
from typing import Any

import numpy as np

NUDGES = {
    "high-pass": ("highpass", "frequency_hz", 70.0, 1.0),
    "compressor": ("compressor", "ratio", 2.0, 0.1),
    "gate": ("gate", "range_db", 4.0, 0.5),
}
# What Tone shows.
WANT = "rig,steps,takes,talk,chain,delivery,diagram,run,tone,clean,room"
_TIMES = 7
# What Python keeps beside a process that was begun.
_A_HELPER_MB = 40.0
_RESTED_S = 75.0
_DRAGGED = 40


class Program:
    def __init__(self, folder: str) -> None:
        command = [sys.executable, "-P", "-m", "obsidian_wren.cli", "demo", "--no-token", "--fast"]
        self.process = subprocess.Popen(
            [*command, "--port", "0", "--data", folder], stdout=subprocess.PIPE, text=True
        )
        self.url = ""
        while not self.url:
            found = re.search(r"http://[\d.:]+/", self.process.stdout.readline())
            self.url = found.group() if found else ""
        self.have: dict[str, str] = {}
        self.state: dict[str, Any] = {}
        self.bytes = 0
        self.told: queue.Queue[str] = queue.Queue()
        threading.Thread(target=self._listen, daemon=True).start()

    def _listen(self) -> None:
        with urllib.request.urlopen(f"{self.url}api/events") as stream:
            for line in stream:
                if line.startswith(b"event: changed"):
                    self.told.put("changed")

    def ask(self, method: str, path: str, body: object = None, want: str = WANT) -> dict[str, Any]:
        have = ",".join(f"{name}={word}" for name, word in self.have.items())
        headers = {"Content-Type": "application/json", "Wren-Want": want, "Wren-Have": have}
        request = urllib.request.Request(
            f"{self.url}api/{path}",
            method=method,
            data=None if body is None else json.dumps(body).encode(),
            headers=headers | {"Accept-Encoding": "gzip"},
        )
        with urllib.request.urlopen(request) as answer:
            raw = answer.read()
            packed = answer.headers.get("Content-Encoding") == "gzip"
        self.bytes = len(raw)
        found: dict[str, Any] = json.loads(gzip.decompress(raw) if packed else raw)
        self.have |= found.get("have", {})
        self.state |= found
        return found

    def caught_up_s(self, began: float) -> float:
        """As the page does it: told of a change, it asks for what it shows."""
        while self.state["working_out"]:
            self.told.get()
            self.ask("GET", "state")
        return time.perf_counter() - began

    def memory(self) -> str:
        """Of the page's program, and of what it begun."""
        page = self.process.pid
        children = pathlib.Path(f"/proc/{page}/task/{page}/children").read_text().split()
        there = [_memory_mb(int(child)) for child in children]
        worker = f"{max(there):.0f}" if there and max(there) > _A_HELPER_MB else "none"
        return f"{_memory_mb(page):.0f} + {worker}"


def _memory_mb(process: int) -> float:
    rollup = pathlib.Path(f"/proc/{process}/smaps_rollup").read_text()
    return int(re.search(r"^Pss:\s+(\d+)", rollup, re.MULTILINE).group(1)) / 1000.0


def nudge(program: Program, name: str, turn: int) -> tuple[float, float, int]:
    stage, setting, first, step = NUDGES[name]
    body = {"stage": stage, "name": setting, "value": first + turn % 20 * step, "pinned": True}
    began = time.perf_counter()
    program.ask("PATCH", "settings", body)
    answered, size = time.perf_counter() - began, program.bytes
    return answered, program.caught_up_s(began), size


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        subprocess.run(
            [
                sys.executable,
                "-P",
                "-m",
                "obsidian_wren.cli",
                "demo",
                "--prepare",
                "--data",
                folder,
            ],
            check=True,
            stdout=subprocess.DEVNULL,
        )
        program = Program(folder)
        try:
            program.ask("GET", "state")
            memory = [program.memory()]
            time.sleep(10.0)
            first = nudge(program, "high-pass", 0)
            memory.append(program.memory())
            print(f"the first one    answer {1000 * first[0]:4.0f} ms, all {first[1]:.2f} s")
            for name in NUDGES:
                found = np.array([nudge(program, name, 1 + turn) for turn in range(_TIMES)])
                answer, whole, size = np.median(found, axis=0)
                print(
                    f"{name:16} answer {1000 * answer:4.0f} ms (50 ms), all {whole:.2f} s (0.3 s),"
                    f" {size / 1000:.1f} kB (12 kB)"
                )
            began = time.perf_counter()
            for turn in range(_DRAGGED):
                body = {"threshold_dbfs": -50.0 + 0.2 * turn, "hysteresis_db": None}
                program.ask("POST", "try/gate", body)
            each = (time.perf_counter() - began) / _DRAGGED
            print(f"a dragged edge   {1.0 / each:.0f} pictures a second (20)")
            undone = []
            for _ in range(_TIMES):
                began = time.perf_counter()
                program.ask("POST", "undo")
                undone.append(time.perf_counter() - began)
                program.caught_up_s(began)
            print(f"undo             answer {1000 * np.median(undone):4.0f} ms (50 ms)")
            for turn in range(50):
                for name in NUDGES:
                    nudge(program, name, turn)
                program.ask("POST", "undo")
                program.caught_up_s(time.perf_counter())
            time.sleep(5.0)
            memory.append(program.memory())
            time.sleep(_RESTED_S)
            memory.append(program.memory())
            rested = nudge(program, "high-pass", 3)
            print(
                f"memory, MB       first state {memory[0]}, after a click {memory[1]}, after 200"
                f" more {memory[2]}, rested {memory[3]}"
            )
            print(f"after a rest     answer {1000 * rested[0]:4.0f} ms, all {rested[1]:.2f} s")
        finally:
            program.process.terminate()
            program.process.wait()


if __name__ == "__main__":
    main()
