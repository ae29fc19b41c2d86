"""A folder with ten thousand takes beside one with the demo's five, in turn: from the start to the
address, to the first state that the program reads itself, then a state and a rename. Each is to
stay within twice.

    .venv/bin/python bench/many_takes.py [--takes 10000] [--rounds 3]
"""

from __future__ import annotations

import argparse
import hashlib
import io
import json
import pathlib
import re
import shutil
import sqlite3
import subprocess
import sys
import tempfile
import time
import urllib.request
from contextlib import closing

import numpy as np
import soundfile

from obsidian_wren.service.rig.fields import RigFields

_COMMAND = [sys.executable, "-P", "-m", "obsidian_wren.cli", "demo", "--no-token", "--fast"]
_MOST = 2.0
_FIRST_ID = 1_000_000


def many(folder: pathlib.Path, takes: int) -> None:
    """Put older takes before those that are in force, each with a sound of its own."""
    rng = np.random.default_rng(1)
    kept = next(path for path in (folder / "takes").glob("*.json") if '"take"' in path.read_text())
    with closing(sqlite3.connect(folder / "wren.db")) as connection, connection:
        connection.row_factory = sqlite3.Row
        rows = [dict(row) for row in connection.execute("SELECT * FROM take ORDER BY id")]
        readings = {
            row["take_id"]: row["body"] for row in connection.execute("SELECT * FROM reading")
        }
        connection.execute("PRAGMA foreign_keys=OFF")
        connection.execute("UPDATE take SET id = id + ?", (_FIRST_ID,))
        connection.execute("UPDATE reading SET take_id = take_id + ?", (_FIRST_ID,))
        for number in range(takes):
            row = dict(rows[number % len(rows)])
            out = io.BytesIO()
            soundfile.write(out, rng.normal(0.0, 0.01, 4800), 48_000, format="FLAC")
            digest = hashlib.sha256(out.getvalue()).hexdigest()
            for name, content in (
                (f"{digest}.flac", out.getvalue()),
                (f"{digest}.json", kept.read_bytes()),
            ):
                path = folder / "takes" / name
                path.write_bytes(content)
                path.chmod(0o600)
            body = readings.get(row["id"])
            row |= {"id": number + 1, "sha256": digest, "frames": 4800}
            marks = ",".join("?" * len(row))
            connection.execute(
                f"INSERT INTO take ({','.join(row)}) VALUES ({marks})", [*row.values()]
            )
            if body is not None:
                connection.execute("INSERT INTO reading VALUES (?, ?)", (number + 1, body))


def once(folder: pathlib.Path) -> list[float]:
    """Seconds to the address, to the first state, of a state and of a rename."""
    (folder / "left-state.json").unlink(missing_ok=True)
    begun = time.perf_counter()
    program = subprocess.Popen(
        [*_COMMAND, "--data", str(folder), "--port", "0"], stdout=subprocess.PIPE, text=True
    )
    try:
        url = ""
        while not url:
            found = re.search(r"http://[\d.:]+/", program.stdout.readline())
            url = found.group() if found else ""
        address = time.perf_counter() - begun

        def ask(method: str, path: str, body: object = None) -> dict:
            data = None if body is None else json.dumps(body).encode()
            request = urllib.request.Request(url + path, method=method, data=data)
            request.add_header("Content-Type", "application/json")
            return json.loads(urllib.request.urlopen(request).read())

        rig = {name: ask("GET", "api/state")["rig"][name] for name in RigFields.model_fields}
        first = time.perf_counter() - begun
        time.sleep(5.0)
        took: list[list[float]] = [[], []]
        for number in range(15):
            for times, asked in (
                (took[0], ("GET", "api/state")),
                (took[1], ("PUT", "api/rig", rig | {"name": f"Loft {number}"})),
            ):
                then = time.perf_counter()
                ask(*asked)
                times.append(time.perf_counter() - then)
        return [address, first, *(float(np.median(times)) for times in took)]
    finally:
        program.terminate()
        program.wait()


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--takes", type=int, default=10_000)
    parser.add_argument("--rounds", type=int, default=3)
    chosen = parser.parse_args()
    with tempfile.TemporaryDirectory() as place:
        few, lots = pathlib.Path(place) / "few", pathlib.Path(place) / "many"
        subprocess.run(
            [*_COMMAND, "--prepare", "--data", str(few)], check=True, stdout=subprocess.DEVNULL
        )
        shutil.copytree(few, lots)
        many(lots, chosen.takes)
        rounds = [(once(few), once(lots)) for _ in range(chosen.rounds)]
    of_few, of_many = (np.median([row[k] for row in rounds], axis=0) for k in (0, 1))
    print(f"| {chosen.takes} takes | few, s | many, s | many / few (bar {_MOST:.0f}) |")
    print("|---|---|---|---|")
    for name, a, b in zip(
        ("start to address", "first state", "a state", "a rename"), of_few, of_many, strict=True
    ):
        print(f"| {name} | {a:.3f} | {b:.3f} | {b / a:.2f} |")


if __name__ == "__main__":
    main()
