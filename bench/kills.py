"""Kills at random instants in every kind of work, and whether everything acknowledged was there
after each.

    .venv/bin/python bench/kills.py [--kills 200] [--seed N]

Prints a table as Markdown: kills, things acknowledged before them, what was missing, starts that
found something.
"""

from __future__ import annotations

import argparse
import pathlib
import random
import shutil
import subprocess
import sys
import tempfile

TESTS = pathlib.Path(__file__).resolve().parents[1] / "tests"
sys.path.insert(0, str(TESTS))

from kills import KINDS, kill_during  # noqa: E402


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--kills", type=int, default=200)
    parser.add_argument("--seed", type=int, default=1)
    chosen = parser.parse_args()
    rng = random.Random(chosen.seed)
    with tempfile.TemporaryDirectory() as place:
        boathouse = pathlib.Path(place) / "boathouse"
        subprocess.run(
            [sys.executable, str(TESTS / "short.py"), str(boathouse)],
            check=True,
            stdout=subprocess.DEVNULL,
        )
        print(
            "| killed while | kills | acknowledged | missing | starts that found something"
            " |\n|---|---|---|---|---|",
            flush=True,
        )
        whole = [0, 0, 0, 0]
        for name in KINDS:
            row = [0, 0, 0, 0]
            for number in range(-(-chosen.kills // len(KINDS))):
                folder = pathlib.Path(place) / f"{name} {number}".replace(" ", "-")
                shutil.copytree(boathouse, folder)
                outcome = kill_during(name, folder, rng)
                missing = 0 if outcome.done is None else max(0, outcome.acknowledged - outcome.done)
                row = [
                    held + more
                    for held, more in zip(
                        row, (1, outcome.acknowledged, missing, bool(outcome.findings)), strict=True
                    )
                ]
                shutil.rmtree(folder)
            print(f"| {name} | " + " | ".join(map(str, row)) + " |", flush=True)
            whole = [held + more for held, more in zip(whole, row, strict=True)]
        print("| **all** | " + " | ".join(map(str, whole)) + " |")


if __name__ == "__main__":
    main()
