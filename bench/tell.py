"""A word from outside: ``tell`` from the command's start to its end, beside Python doing nothing,
one after the other in one run."""

from __future__ import annotations

import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

BIN = Path(sys.executable).parent
TIMES = 40


def took_ms(*command: str) -> float:
    begun = time.perf_counter()
    subprocess.run(command, check=True, stdout=subprocess.DEVNULL)
    return 1e3 * (time.perf_counter() - begun)


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        wren, data = str(BIN / "obsidian-wren"), ("--data", folder)
        program = subprocess.Popen(
            [wren, "serve", "--simulated", "--no-token", "--port", "0", *data],
            stdout=subprocess.DEVNULL,
        )
        try:
            while subprocess.run(
                [wren, "tell", *data, "status"], capture_output=True, check=False
            ).returncode:
                time.sleep(0.5)
            # Its start is over.
            time.sleep(5.0)
            words = ("toggle-mute", "status --json")
            spent: dict[str, list[float]] = {word: [] for word in ("nothing", *words)}
            for _ in range(TIMES):
                spent["nothing"].append(took_ms(sys.executable, "-c", "pass"))
                for word in words:
                    spent[word].append(took_ms(wren, "tell", *data, *word.split()))
        finally:
            program.terminate()
            program.wait()
    nothing = statistics.median(spent["nothing"])
    print(f"`python -c pass`: {nothing:.0f} ms")
    for word in words:
        median, tenth = statistics.median(spent[word]), sorted(spent[word])[-TIMES // 10]
        print(
            f"`tell {word}`: {median:.0f} ms, nine of ten within {tenth:.0f} ms (bar 100),"
            f" {median - nothing:.0f} ms more than Python doing nothing"
        )


if __name__ == "__main__":
    main()
