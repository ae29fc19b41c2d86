"""Run the benches and write what they say to docs/performance.md: ``make bench``; or those that are
named, ``python bench/report.py plan.py``."""

from __future__ import annotations

import os
import pathlib
import platform
import subprocess
import sys

ROOT = pathlib.Path(__file__).resolve().parents[1]
BENCHES = (
    ("engine.py", "The engine beside a native C++ effects library"),
    ("cleaning.py", "Cleaning on voices that nobody tuned it on"),
    ("rooms.py", "Takes of a room in which something moves"),
    ("loudspeaker.py", "What a loudspeaker plays, taken out"),
    ("preference.py", "A taste found by ear"),
    ("files.py", "Sound files on the command line"),
    ("plan.py", "From two takes to every setting"),
    ("population.py", "Tone on talkers and rigs that nobody tuned it on"),
    ("first_page.py", "The first page"),
    ("tell.py", "A word from outside"),
    ("first_takes.py", "A first calibration's takes, beside a busy process"),
    ("many_takes.py", "Ten thousand takes"),
    ("stream.py", "The live stream"),
    ("live.py", "From a microphone of the system to a program that listens"),
    ("voice.py", "The voice beside the server's own loopback"),
    ("call.py", "A call while the page is clicked hard, and killed"),
    ("phone.py", "A phone call by a browser"),
    ("own_system.py", "When this computer changes by itself"),
    ("mix.py", "Mixes, a run of everything, the recorder"),
    ("nudge.py", "A click, what follows from it, and memory"),
    ("drift.py", "A check: what drifted, and why"),
    ("noticing.py", "A watch: what happened while live"),
    ("week.py", "A watched working week"),
    ("recheck.py", "A check, from its last sample"),
    ("two_microphones.py", "Two microphones of known response"),
    ("two_people.py", "Two people at one desk"),
)
REPORT = ROOT / "docs/performance.md"
# Written by hand: what several calm runs came to.
BARS = ROOT / "bench/bars.md"
HEAD = """# Performance

Written by `make bench`. Speeds are compared side by side in one run, turn by turn, since one
machine is not another and is not even itself a minute later; bars are those of the design.
"""


def ran(name: str, title: str) -> str | None:
    """The section of one bench; None where it failed, which is told."""
    print(f"{title} ({name})", flush=True)
    done = subprocess.run(
        [sys.executable, str(ROOT / "bench" / name)], capture_output=True, text=True, check=False
    )
    print(done.stdout, flush=True)
    if done.returncode:
        print(f"{name} failed; its section stays as it was.\n{done.stderr}", file=sys.stderr)
        return None
    told = (ROOT / "bench" / name).read_text().split('"""')[1].strip()
    return f"## {title}\n\n{told}\n\n`python bench/{name}`\n\n```\n{done.stdout.strip()}\n```\n"


def kept() -> dict[str, str]:
    """The sections as they were written last, by their titles."""
    parts = REPORT.read_text().split("\n## ")[1:] if REPORT.exists() else []
    return {part.partition("\n")[0]: f"## {part.rstrip()}\n" for part in parts}


def main() -> None:
    """Run those that are named, or all; the others stay as they were written."""
    wanted, before = sys.argv[1:], kept()
    machine = f"Machine: {os.cpu_count()} cores, {platform.machine()}, Python"
    parts = [HEAD, f"{machine} {platform.python_version()}.\n", BARS.read_text()]
    failed = []
    for name, title in BENCHES:
        found = before.get(title)
        if not wanted or name in wanted:
            new = ran(name, title)
            failed.extend([name] if new is None else [])
            found = new or found
        parts.extend([found] if found is not None else [])
    REPORT.write_text("\n".join(parts))
    if failed:
        sys.exit(f"These failed: {', '.join(failed)}.")


if __name__ == "__main__":
    main()
