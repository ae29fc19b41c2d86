"""Take the pictures of the main views from the demo data: ``make shots``.

``--width`` and ``--height`` choose another window, ``--out`` another folder, ``--only`` some of the
pictures.
"""

from __future__ import annotations

import argparse
import contextlib
import json
import pathlib
import re
import shutil
import subprocess
import sys
import tempfile
import urllib.request
from collections.abc import Iterator

from playwright.sync_api import Browser, Page, ViewportSize, sync_playwright

ROOT = pathlib.Path(__file__).resolve().parents[1]
# Name of the picture: the step, and the leaf where the step has several.
VIEWS = {
    "rig": ("Rig", "What to expect"),
    "rig-sound-settings": ("Rig", "Sound settings"),
    "quiet-in-use": ("Quiet", "In use"),
    "clean-moves": ("Clean", "What moves"),
    "tone": ("Tone", "What the rig adds"),
    "steady": ("Steady", "Levels"),
    "send": ("Send", "Listeners"),
    "send-beside": ("Send", "Other sources"),
    "prove-blind": ("Prove", "Blind"),
    "prove-since": ("Prove", "Since then"),
    "prove-two": ("Prove", "Two microphones"),
    "prove-carry": ("Prove", "Carry"),
}
DARK = ("tone",)
# The guided run, finished and at its beginning; and other windows.
GUIDED = ("calibrated", "guided-run")
WINDOWS = {
    "small-tone": ("Tone", "What the rig adds", 640, 900),
    "gain": ("Gain", "Levels", 1920, 1080),
}
LOFT = 1
TAKES = (
    {"purpose": "in-use"},
    {"purpose": "clap"},
    {"purpose": "muted"},
    {"purpose": "other-gain", "position": 12},
    {"purpose": "loud"},
    {"purpose": "soft"},
    *({"purpose": "dial", "position": mark, "learns": "slider"} for mark in (25, 50, 75, 100)),
)


@contextlib.contextmanager
def serving(data: str, *options: str) -> Iterator[str]:
    """The demo over a data folder; gives its address."""
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
        *options,
    ]
    program = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    try:
        url = None
        while url is None:
            line = program.stdout.readline() if program.stdout else ""
            if not line:
                raise SystemExit("The demo did not start.")
            url = re.search(r"http://[\d.:]+/", line)
        yield url.group()
    finally:
        program.terminate()
        program.wait()


def post(url: str, path: str, body: object) -> None:
    request = urllib.request.Request(
        f"{url}api/{path}",
        data=json.dumps(body).encode(),
        headers={"Content-Type": "application/json"},
    )
    urllib.request.urlopen(request, timeout=120).read()


def more_takes(data: str) -> None:
    """What the demo leaves to the person: the room in use, the parts of the floor, loudest and
    softest, and a slider learned."""
    with serving(data, "--fast") as url:
        # The pictures of the steps are of the loft, which has a second microphone.
        post(url, f"rigs/{LOFT}/use", {})
        for take in TAKES:
            post(url, "takes", take)
        rows = "\n".join(
            f"{hz:.0f}\t{db}"
            for hz, db in (
                (20, -6),
                (50, -1.5),
                (120, 0),
                (1000, 0),
                (3000, 1),
                (6500, 4.2),
                (12000, 2.5),
                (20000, -6),
            )
        )
        boundary = "wren"
        body = (
            f'--{boundary}\r\nContent-Disposition: form-data; name="file";'
            f' filename="reedling-40.txt"\r\n\r\n{rows}\n\r\n--{boundary}--\r\n'
        )
        headers = {"Content-Type": f"multipart/form-data; boundary={boundary}"}
        urllib.request.urlopen(
            urllib.request.Request(f"{url}api/response", data=body.encode(), headers=headers),
            timeout=60,
        ).read()
        post(url, "derive", {})


def visit(page: Page, step: str, leaf: str | None) -> None:
    page.get_by_role("navigation", name="Steps").get_by_role(
        "button", name=re.compile(step)
    ).click()
    if leaf is not None:
        page.get_by_role("tab", name=leaf, exact=True).click()
    page.mouse.move(2, 2)
    page.wait_for_timeout(300)


def prove(page: Page) -> None:
    """Everything at once: live, one program mended and one not, the return treated,
    something recorded, the marker sent."""
    visit(page, "Send", "Listeners")
    page.get_by_label("Set up").select_option(label="Everything at once")
    page.get_by_role("region", name="Deck computer").wait_for(timeout=60_000)
    page.get_by_text("The mix for").wait_for(timeout=60_000)
    for number, feed in enumerate(("Wren: call", "Wren: game")):
        page.get_by_label("chooses").nth(number).select_option(feed)
    page.get_by_role("button", name="Start live").click()
    visit(page, "Send", "Recorder")
    page.get_by_role("button", name="Record", exact=True).click()
    page.wait_for_timeout(14_000)
    page.get_by_role("button", name="Stop recording").click()
    visit(page, "Send", "Other sources")
    page.get_by_role("button", name="Measure and treat").click()
    page.get_by_text("narrow cuts").wait_for(timeout=60_000)
    visit(page, "Send", "Listeners")
    page.get_by_role("button", name="Send the marker").click()
    page.get_by_text("Treated voice arrives").first.wait_for(timeout=60_000)


def hear_blind(page: Page) -> None:
    """A series of somebody who answers without listening."""
    page.get_by_role("button", name="Begin a series").click()
    for number in range(12):
        page.get_by_text(f"Round {number + 1} of 12.").wait_for(timeout=60_000)
        page.keyboard.press("asd"[number % 3])
    page.get_by_text("Chance alone").first.wait_for(timeout=60_000)


def drift(page: Page) -> None:
    """Somebody sits farther away, and checks."""
    visit(page, "Send", "Listeners")
    if page.get_by_role("button", name="Stop live").count():
        page.get_by_role("button", name="Stop live").click()
    visit(page, "Rig", "Room and placement")
    distance = page.get_by_label("Mouth to microphone, cm")
    distance.fill("29")
    distance.press("Enter")
    visit(page, "Prove", "Since then")
    page.get_by_role("button", name="Record a check, 20 s").click()
    page.get_by_text("You sit farther").first.wait_for(timeout=120_000)


def older(page: Page) -> None:
    """Somebody turned something since the last version."""
    visit(page, "Tone", "Target and taste")
    warmth = page.get_by_label(re.compile("Warmth"))
    warmth.fill("2")
    warmth.press("Enter")
    visit(page, "Prove", "Carry")
    page.get_by_role("columnheader", name="what differs").wait_for(timeout=60_000)


def take_others(page: Page, wanted: list[str] | None, out: pathlib.Path) -> None:
    """The guided run and small windows, before anything is changed."""
    size = page.viewport_size
    for name, (step, leaf, width, height) in WINDOWS.items():
        if wanted is None or name in wanted:
            page.set_viewport_size({"width": width, "height": height})
            visit(page, step, leaf)
            page.screenshot(path=out / f"{name}.png")
            page.set_viewport_size(size)
    if wanted is not None and not set(GUIDED) & set(wanted):
        return
    page.evaluate("location.hash = '#now'")
    page.get_by_role("button", name="Calibrate again").click()
    page.locator("button.primary:not([aria-disabled])", has_text="Record the room").wait_for()
    page.screenshot(path=out / "guided-run.png")
    page.evaluate("localStorage.removeItem('run-since')")
    page.reload()
    page.get_by_role("navigation", name="Steps").wait_for()


def first_look(data: str, browser: Browser, size: ViewportSize, out: pathlib.Path) -> None:
    """What the demo opens on, as it is after its first start."""
    with serving(data) as url:
        page = browser.new_page(viewport=size)
        page.goto(url)
        page.get_by_text("quieter in pauses").wait_for(timeout=120_000)
        page.screenshot(path=out / "calibrated.png")
        page.close()


def take_picture(page: Page, name: str, shown: str, out: pathlib.Path) -> None:
    visit(page, *VIEWS[name])
    if name == "send-beside":
        page.get_by_role("button", name="Change").first.click()
    if name == "prove-blind":
        hear_blind(page)
    if name == "prove-since":
        drift(page)
    if name == "prove-two":
        page.get_by_role("button", name="Record both microphones, 20 s").click()
        page.get_by_text("Put Deck 7 into the rig").wait_for(timeout=120_000)
    if name == "prove-carry":
        older(page)
    page.evaluate("document.querySelectorAll('main *').forEach((part) => part.scrollTo(0, 0))")
    page.screenshot(path=out / f"{shown}.png")


def place(name: str) -> int:
    """Takes first, then what is live, then what was proved of it."""
    return 2 if name.startswith("prove") else int(name.startswith("send"))


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--out", type=pathlib.Path, default=ROOT / "docs/screenshots")
    parser.add_argument("--width", type=int, default=1280)
    parser.add_argument("--height", type=int, default=800)
    parser.add_argument(
        "--only", nargs="*", default=None, help="names of pictures, such as tone or tone-dark"
    )
    chosen = parser.parse_args()
    chosen.out.mkdir(parents=True, exist_ok=True)
    chromium = shutil.which("chromium") or shutil.which("chromium-browser")
    wanted = [(name, "light", name) for name in VIEWS] + [
        (name, "dark", f"{name}-dark") for name in DARK
    ]
    wanted = [entry for entry in wanted if chosen.only is None or entry[2] in chosen.only]
    # Send last in each theme: it is live then, and the other views are about takes.
    with tempfile.TemporaryDirectory() as data:
        size: ViewportSize = {"width": chosen.width, "height": chosen.height}
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path=chromium, args=["--no-sandbox"])
            if chosen.only is None or "calibrated" in chosen.only:
                first_look(data, browser, size, chosen.out)
            browser.close()
        if chosen.only == ["calibrated"]:
            return
        more_takes(data)
        with serving(data) as url, sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path=chromium, args=["--no-sandbox"])
            page = browser.new_page(viewport={"width": chosen.width, "height": chosen.height})
            page.goto(url)
            page.get_by_role("navigation", name="Steps").wait_for()
            take_others(page, chosen.only, chosen.out)
            for name, theme, shown in sorted(wanted, key=lambda entry: place(entry[0])):
                page.get_by_label("Theme").select_option(theme)
                if name.startswith("send") and page.get_by_text("Not live").count():
                    prove(page)
                take_picture(page, name, shown, chosen.out)
            browser.close()


if __name__ == "__main__":
    main()
