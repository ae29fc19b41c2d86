"""The whole way of a real voice on a machine without a sound card: ``make try-real``.

A sound server of its own with a microphone in it that talks, the program on that server over a copy
of the demo's calibration, and a browser without a window on the page that listens. Says every few
seconds what arrives, until Ctrl-C, or for ``--seconds``.
"""

from __future__ import annotations

import argparse
import contextlib
import json
import os
import pathlib
import re
import shutil
import subprocess
import sys
import tempfile
import time
import urllib.request

sys.path.append(str(pathlib.Path(__file__).resolve().parents[1] / "tests"))

from playwright.sync_api import Page, sync_playwright

from obsidian_wren.simulation.spec import BOATHOUSE, WorldSpec
from obsidian_wren.simulation.world import SimulatedRig
from private_server import (
    FakeMicrophone,
    PipeWire,
    PulseAudio,
    environment,
)

ROOT = pathlib.Path(__file__).resolve().parents[1]
PICTURES = (("Rig", "Sound settings", "own-rig"), ("Send", "Listeners", "own-send"))
_TALK_S = 40.0
_SERVERS = {"pulseaudio": PulseAudio, "pipewire": PipeWire}


class Serving:
    """The program over a data folder, and what it is asked."""

    def __init__(self, data: pathlib.Path) -> None:
        command = [
            sys.executable,
            "-P",
            "-m",
            "obsidian_wren.cli",
            "serve",
            "--no-token",
            "--port",
            "0",
        ]
        self.process = subprocess.Popen(
            [*command, "--data", str(data)], stdout=subprocess.PIPE, text=True
        )
        assert self.process.stdout is not None
        found = re.search(r"http://[\d.:]+", self.process.stdout.readline())
        assert found is not None, "the program did not start"
        self.url = found.group(0)

    def ask(self, method: str, path: str, body: object = None) -> dict:
        asked = urllib.request.Request(
            f"{self.url}/api{path}",
            method=method,
            data=None if body is None else json.dumps(body).encode(),
            headers={"Content-Type": "application/json"},
        )
        with urllib.request.urlopen(asked, timeout=120) as answer:
            return json.load(answer)


def use_the_microphone(program: Serving, name: str) -> None:
    """The calibration of the demo on the microphone of this server, live."""
    while name not in {each["id"] for each in program.ask("GET", "/state")["computer"]["devices"]}:
        time.sleep(0.2)
    program.ask("POST", "/computer/rig", {"device_id": name})
    before = program.ask("GET", "/state")
    rig = before["rig"]
    fields = {key: rig[key] for key in rig if key not in ("id", "absolute_gain", "things")}
    program.ask("PUT", "/rig", {**fields, "source": "system"})
    # Another source counts the preamp anew; this one stands where it stood.
    preamp = next(each for each in before["controls"] if each["key"] == "preamp")
    program.ask("POST", "/controls", {"control": "preamp", "position": preamp["position"]})
    program.ask("POST", "/run/start", {})


def listen(page: Page, url: str) -> None:
    """The page that listens picks our input and asks for a proof."""
    page.goto(f"{url}/listener")
    page.get_by_label("Microphone").select_option(label="Wren: call")
    page.get_by_role("button", name="Listen", exact=True).click()
    page.get_by_role("button", name="Prove what arrives").click()


def take_pictures(page: Page, program: Serving, out: pathlib.Path) -> None:
    """Rig and Send of this computer, with a program on the raw microphone."""
    recording = ["parec", "--device=desk", "--client-name=Walk recorder"]
    recorder = subprocess.Popen(recording, stdout=subprocess.DEVNULL)
    while not any(each["hears"] == "raw" for each in program.ask("GET", "/state")["programs"]):
        time.sleep(0.2)
    page.goto(program.url)
    steps = page.get_by_role("navigation", name="Steps")
    steps.wait_for()
    # Pages that load hold this machine up; what is proved then is that.
    for _ in range(2):
        time.sleep(4.0)
        while program.ask("GET", "/state")["run"]["marker"] != "idle":
            time.sleep(0.2)
        program.ask("POST", "/marker", {})
    while program.ask("GET", "/state")["run"]["marker"] != "idle":
        time.sleep(0.2)
    for step, leaf, name in PICTURES:
        steps.get_by_role("button", name=re.compile(step)).click()
        page.get_by_role("tab", name=leaf, exact=True).click()
        page.mouse.move(2, 2)
        page.wait_for_timeout(800)
        page.screenshot(path=out / f"{name}.png")
    recorder.kill()
    recorder.wait()


def main() -> int:
    told = argparse.ArgumentParser(description=__doc__)
    told.add_argument("--server", choices=_SERVERS, default="pulseaudio")
    told.add_argument("--seconds", type=float, default=float("inf"))
    told.add_argument("--shots", type=pathlib.Path, help="take the pictures of it, then end")
    chosen = told.parse_args()
    with tempfile.TemporaryDirectory(prefix="wren") as name, contextlib.ExitStack() as ends:
        folder = pathlib.Path(name)
        shutil.copytree(ROOT / "demo-data", folder / "data")
        os.environ.update(environment(folder))
        server = _SERVERS[chosen.server](folder, urgent=True)
        server.start()
        ends.callback(server.end)
        world = SimulatedRig(WorldSpec.model_validate_json(BOATHOUSE.read_text("utf-8")))
        talk = world.take("talk", seconds=_TALK_S)
        desk = FakeMicrophone(folder, talk, name="desk", title="Towpath Two")
        ends.callback(desk.hush)
        program = Serving(folder / "data")
        ends.callback(program.process.wait)
        ends.callback(program.process.terminate)
        use_the_microphone(program, desk.name)
        browser = ends.enter_context(sync_playwright()).chromium.launch(
            executable_path=shutil.which("chromium") or shutil.which("chromium-browser"),
            args=["--headless=new", "--no-sandbox", "--use-fake-ui-for-media-stream"],
            ignore_default_args=["--headless", "--mute-audio"],
            env=dict(os.environ),
        )
        ends.callback(browser.close)
        page = browser.new_context(permissions=["microphone"]).new_page()
        listen(page, program.url)
        if chosen.shots is not None:
            take_pictures(
                browser.new_page(viewport={"width": 1280, "height": 800}), program, chosen.shots
            )
            return 0
        print(f"The page is at {program.url}/, a page that listens at {program.url}/listener.")
        print("A browser listens to “Wren: call” meanwhile. Ctrl-C ends all of it.", flush=True)
        end = time.monotonic() + chosen.seconds
        with contextlib.suppress(KeyboardInterrupt):
            while time.monotonic() < end:
                page.wait_for_timeout(3000)
                print("; ".join(page.get_by_role("listitem").all_inner_texts()), flush=True)
    return 0


if __name__ == "__main__":
    sys.exit(main())
