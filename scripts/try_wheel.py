"""One file to install, tried as a person would: ``make try-wheel``.

Builds the wheel, installs it into an environment that holds nothing
else, measures a file with it, starts the demo from an empty folder, and in a browser goes live,
picks the feed, proves it by the marker and opens the documents.
"""

from __future__ import annotations

import argparse
import json
import pathlib
import re
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Mapping

import numpy as np
import soundfile
from playwright.sync_api import Page, sync_playwright

ROOT = pathlib.Path(__file__).resolve().parents[1]
_RATE = 48_000
_LONG_MS = 60_000.0


def built(into: pathlib.Path) -> pathlib.Path:
    """The wheel, with the kernels that were compiled here."""
    command = [sys.executable, "-P", "-m", "build", "--wheel", "--outdir", str(into), str(ROOT)]
    subprocess.run(command, check=True, stdout=subprocess.DEVNULL)
    return next(into.glob("*.whl"))


def installed(wheel: pathlib.Path, folder: pathlib.Path, python: str) -> pathlib.Path:
    """The program in an environment of its own."""
    subprocess.run([python, "-m", "venv", folder], check=True)
    pip = [folder / "bin" / "pip", "install", "--quiet", "--disable-pip-version-check"]
    subprocess.run([*pip, wheel], check=True)
    return folder / "bin" / "obsidian-wren"


def measured(
    program: pathlib.Path,
    folder: pathlib.Path,
    *,
    user: str | None = None,
    env: Mapping[str, str] | None = None,
) -> None:
    """A tone of known level read, as a user and in surroundings other than these where asked."""
    tone = 0.1 * np.sin(2.0 * np.pi * 1000.0 * np.arange(5 * _RATE) / _RATE)
    soundfile.write(folder / "tone.wav", tone, _RATE)
    command = [program, "read", "level", folder / "tone.wav", "--json"]
    run = subprocess.run(command, check=True, capture_output=True, user=user, env=env)
    found = json.loads(run.stdout)
    print(f"a tone of 0.1: {found['rms_dbfs']:.2f} dBFS")


def proved(page: Page) -> None:
    """The short job: live, the feed picked, the marker heard at the listener."""
    page.evaluate("location.hash = '#send/listeners'")
    page.get_by_role("button", name="Start live").click()
    page.get_by_text("48 kHz throughout").wait_for(timeout=_LONG_MS)
    page.get_by_label("chooses").first.select_option("Wren: call")
    page.keyboard.press("m")
    page.get_by_text(re.compile(r"Treated voice arrives, \d+ ms")).wait_for(timeout=_LONG_MS)


def read(page: Page) -> None:
    """The documents behind the list of keys."""
    page.keyboard.press("?")
    with page.expect_popup() as opened:
        page.get_by_role("link", name="Getting started").click()
    picture = opened.value.get_by_role("img").first
    picture.wait_for(timeout=_LONG_MS)
    assert picture.evaluate("(each) => each.decode().then(() => each.naturalWidth)") > 0


def demonstrated(
    program: pathlib.Path,
    folder: pathlib.Path,
    *,
    user: str | None = None,
    env: Mapping[str, str] | None = None,
) -> None:
    """The demo started from nothing, and the short job done in a browser."""
    began = time.monotonic()
    started = subprocess.Popen(
        [program, "demo", "--port", "0", "--data", folder / "data"],
        stdout=subprocess.PIPE,
        text=True,
        cwd=folder,
        user=user,
        env=env,
    )
    try:
        assert started.stdout is not None
        address = ""
        while not address:
            line = started.stdout.readline()
            assert line, "the program ended"
            found = re.search(r"http://\S+", line)
            address = found.group() if found else ""
            print(f"{time.monotonic() - began:6.1f} s  {line.rstrip()}")
        with sync_playwright() as play:
            chromium = shutil.which("chromium") or shutil.which("chromium-browser")
            browser = play.chromium.launch(executable_path=chromium, args=["--no-sandbox"])
            page = browser.new_page()
            page.goto(address)
            page.get_by_role("heading", name="Calibrated").wait_for(timeout=_LONG_MS)
            print(f"{time.monotonic() - began:6.1f} s  {page.title()}")
            proved(page)
            print(f"{time.monotonic() - began:6.1f} s  live, picked, proved by the marker")
            read(page)
            browser.close()
    finally:
        started.terminate()
        started.wait()


def main() -> None:
    chosen = argparse.ArgumentParser(description=__doc__)
    chosen.add_argument("--python", default=sys.executable, help="which Python to install it for")
    asked = chosen.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        place = pathlib.Path(folder)
        wheel = built(place / "dist")
        print(f"{wheel.name}: {wheel.stat().st_size / 1e6:.1f} MB")
        program = installed(wheel, place / "environment", asked.python)
        measured(program, place)
        demonstrated(program, place)


if __name__ == "__main__":
    main()
