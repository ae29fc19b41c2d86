"""Ten minutes of everything live at the pace of sound, six pages open and a click each second:
gaps, memory, threads, open files.

    .venv/bin/python bench/soak.py [--minutes 10]

Prints a row a minute as Markdown. What grows from the second minute to the last grows for good.
"""

from __future__ import annotations

import argparse
import http.client
import itertools
import pathlib
import re
import subprocess
import sys
import tempfile
import threading
import time
from urllib.parse import urlsplit

TESTS = pathlib.Path(__file__).resolve().parents[1] / "tests"
sys.path.insert(0, str(TESTS))

from kills import Asked  # noqa: E402

COMMAND = (sys.executable, "-P", "-m", "obsidian_wren.cli", "demo")


class Started(Asked):
    """The program over the demo's calibration, as its command starts it and in memory of its own:
    the one that the tests fork shares what they had loaded."""

    def __init__(self, folder: str) -> None:
        subprocess.run(
            [*COMMAND, "--prepare", "--data", folder], check=True, stdout=subprocess.DEVNULL
        )
        self.process = subprocess.Popen(
            [*COMMAND, "--port", "0", "--data", folder], stdout=subprocess.PIPE, text=True
        )
        found = None
        while found is None:
            found = re.search(r"(http://[\d.:]+/)\?token=([\w-]+)", self.process.stdout.readline())
        self.url, self.token = found.groups()

    def end(self) -> None:
        self.process.terminate()
        self.process.wait()


def open_page(program: Asked, counts: list[int]) -> None:
    """Read the event stream as a page does, for good."""
    host, port = urlsplit(program.url).netloc.split(":")
    connection = http.client.HTTPConnection(host, int(port))
    connection.request("GET", "/api/events", headers={"Authorization": f"Bearer {program.token}"})
    answer = connection.getresponse()
    while answer.read1(4096):
        counts[0] += 1


def clicks(program: Asked):
    """What a person may press, one after another, round and round."""
    bodies = (
        lambda n: program.ask("PUT", "preferences", {"cut_weight": 0.5 + 0.01 * (n % 30)}),
        lambda n: program.ask("PUT", "destinations/call/name", {"name": f"Editor {n}"}),
        lambda n: program.ask("PATCH", "stages", {"stage": "colour", "on": n % 2 == 0}),
        lambda n: program.ask("POST", "undo"),
        lambda n: program.ask("POST", "redo"),
        lambda n: program.ask(
            "PATCH",
            "settings",
            {"stage": "limiter", "name": "release_ms", "value": 60.0 + n % 60, "pinned": True},
        ),
        lambda n: program.ask(
            "PUT", "destinations/call/pin", {"name": "aim_lufs", "value": -18.0 - n % 4}
        ),
        lambda n: program.ask("GET", "state"),
        lambda n: program.ask("POST", "marker"),
    )
    for number in itertools.count():
        yield lambda number=number: bodies[number % len(bodies)](number)


def look(pid: int) -> dict[str, int]:
    """Memory in kB, threads and open files of a process, as the system counts them."""
    status = dict(
        line.split(":\t", 1)
        for line in pathlib.Path(f"/proc/{pid}/status").read_text().splitlines()
        if ":\t" in line
    )
    files = len(list(pathlib.Path(f"/proc/{pid}/fd").iterdir()))
    return {
        "memory": int(status["VmRSS"].split()[0]),
        "threads": int(status["Threads"]),
        "files": files,
    }


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--minutes", type=int, default=10)
    chosen = parser.parse_args()
    with tempfile.TemporaryDirectory() as place:
        program = Started(place)
        program.ask("POST", "case", {"case": "everything"})
        program.ask("POST", "run/start", {})
        program.ask("POST", "recordings/start", {"purpose": "Soak"})
        told = [0]
        for _ in range(6):
            threading.Thread(target=open_page, args=(program, told), daemon=True).start()
        pid = program.process.pid
        press = clicks(program)
        print(
            "| minute | gaps | memory, MB | threads | open files | clicks refused"
            " |\n|---|---|---|---|---|---|",
            flush=True,
        )
        for minute in range(1, chosen.minutes + 1):
            end, refused = time.monotonic() + 60.0, 0
            while time.monotonic() < end:
                began = time.monotonic()
                try:
                    next(press)()
                except OSError:
                    refused += 1
                time.sleep(max(0.0, 1.0 - (time.monotonic() - began)))
            seen = look(pid)
            gaps = program.ask("GET", "state")["run"]["dropouts"]
            print(
                f"| {minute} | {gaps} | {seen['memory'] // 1024} | {seen['threads']} |"
                f" {seen['files']} | {refused} |",
                flush=True,
            )
        print(f"\nEvents read by six pages: {told[0]}.")
        program.end()


if __name__ == "__main__":
    main()
