"""Take the pictures of the main views from the demo data: ``make shots``.

``--width`` and ``--height`` choose another window, ``--out`` another folder.
"""

from __future__ import annotations

import argparse
import os
import pathlib
import shutil
import subprocess
import sys
import tempfile
import time
import urllib.request

from playwright.sync_api import Page, sync_playwright

ROOT = pathlib.Path(__file__).resolve().parents[1]
VIEWS = ("rig", "quiet", "gain", "tone", "send")
DARK = ("quiet", "tone", "send")
PORT = 8791


def wait_for(url: str) -> None:
    for _ in range(400):
        try:
            urllib.request.urlopen(url).read()
            return
        except OSError:
            time.sleep(0.1)
    raise SystemExit(f"{url} does not answer")


def visit(page: Page, view: str) -> None:
    page.get_by_role("navigation").get_by_role("button", name=view.capitalize()).click()
    page.mouse.move(2, 2)
    page.wait_for_timeout(250)


def prove(page: Page) -> None:
    """Go live, find the raw voice, mend it, and send the marker again: the Send view with a proof in it."""
    visit(page, "send")
    page.get_by_role("button", name="Start live").click()
    page.get_by_label("picks").first.select_option("Wren: voice")
    page.get_by_role("button", name="Send the marker").click()
    page.get_by_text("Treated voice arrives").wait_for(timeout=20_000)


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--out", type=pathlib.Path, default=ROOT / "docs/screenshots")
    parser.add_argument("--width", type=int, default=1280)
    parser.add_argument("--height", type=int, default=800)
    parser.add_argument("--only", nargs="*", default=None, help="names of pictures, such as tone or tone-dark")
    chosen = parser.parse_args()
    chosen.out.mkdir(parents=True, exist_ok=True)
    chromium = shutil.which("chromium") or shutil.which("chromium-browser")
    with tempfile.TemporaryDirectory() as data:
        command = [sys.executable, "-m", "obsidian_wren.cli", "demo", "--port", str(PORT), "--data", data]
        server = subprocess.Popen(command, stdout=subprocess.DEVNULL, env=os.environ)
        try:
            wait_for(f"http://127.0.0.1:{PORT}/api/state")
            with sync_playwright() as playwright:
                browser = playwright.chromium.launch(executable_path=chromium, args=["--no-sandbox"])
                page = browser.new_page(viewport={"width": chosen.width, "height": chosen.height})
                page.goto(f"http://127.0.0.1:{PORT}/")
                prove(page)
                page.get_by_role("button", name="Understood").click() if page.get_by_role("alert").count() else None
                for theme, views in (("light", VIEWS), ("dark", DARK)):
                    page.get_by_label("Theme").select_option(theme)
                    for view in views:
                        name = view if theme == "light" else f"{view}-dark"
                        if chosen.only is None or name in chosen.only:
                            visit(page, view)
                            page.screenshot(path=chosen.out / f"{name}.png")
                browser.close()
        finally:
            server.terminate()
            server.wait()


if __name__ == "__main__":
    main()
