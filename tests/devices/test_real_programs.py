"""The program in a process of its own on this computer's sound, and a real browser that listens."""

import json
import os
import re
import shutil
import subprocess
import sys
import urllib.request
from contextlib import suppress
from urllib.error import HTTPError

import pytest
from playwright.sync_api import expect, sync_playwright

from listening import level_of
from obsidian_wren.service.opening.opening import close_app
from own_system import CALL, Recording, end_voice
from private_server import PulseAudio
from waiting import wait_until

pytestmark = pytest.mark.real_time
expect.set_options(timeout=60_000)
FLAGS = [
    "--headless=new",
    "--no-sandbox",
    "--use-fake-ui-for-media-stream",
    "--autoplay-policy=no-user-gesture-required",
    "--disable-background-networking",
]


# What does not depend on which one it is.
one_server = pytest.mark.parametrize("sound_server", [PulseAudio], indirect=True)


class Serving:
    """``obsidian-wren serve`` over a folder."""

    def __init__(self, folder, port=0):
        command = [sys.executable, "-P", "-m", "obsidian_wren.cli", "serve", "--no-token"]
        self.process = subprocess.Popen(
            [*command, "--data", str(folder), "--port", str(port)],
            stdout=subprocess.PIPE,
            text=True,
        )
        self.url = re.search(r"http://[\d.:]+", self.process.stdout.readline()).group(0)

    def ask(self, method, path, body=None):
        asked = urllib.request.Request(
            f"{self.url}/api{path}",
            method=method,
            data=None if body is None else json.dumps(body).encode(),
            headers={"Content-Type": "application/json"},
        )
        with urllib.request.urlopen(asked, timeout=120) as answer:
            return json.load(answer)

    def state(self):
        return self.ask("GET", "/state")

    def kill(self):
        self.process.kill()
        self.process.wait()


@pytest.fixture
def folder(own):
    """A data folder whose rig is the desk microphone of this computer."""
    own.let_go()
    close_app(own)
    return own.folder.path


@pytest.fixture
def open_own(open_own):
    # Ended by the test already.
    return open_own


@pytest.fixture
def serve(folder):
    running = []

    def go(port=0):
        running.append(Serving(folder, port))
        return running[-1]

    yield go
    for each in running:
        each.kill()
    end_voice(folder)


@pytest.fixture
def chromium():
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(
            executable_path=shutil.which("chromium") or shutil.which("chromium-browser"),
            args=FLAGS,
            ignore_default_args=["--headless", "--mute-audio"],
            env=dict(os.environ),
        )
        yield browser
        browser.close()


def test_a_browser_picks_our_input_and_a_wrong_pick_is_moved(serve, chromium):
    program = serve()
    program.ask("POST", "/run/start", {})
    page = chromium.new_context(permissions=["microphone"]).new_page()
    page.goto(f"{program.url}/listener")
    choice = page.get_by_label("Microphone")
    expect(choice.locator("option", has_text="Wren: call")).to_have_count(1)
    listed = choice.locator("option").all_text_contents()
    assert not [each for each in listed if "onitor" in each], listed
    choice.select_option(label="Wren: call")
    page.get_by_role("button", name="Listen", exact=True).click()
    expect(page.get_by_text("Hears “Wren: call” at")).to_be_visible()
    send_until(page, ARRIVES, "Prove what arrives")
    (listener,) = program.state()["programs"]
    assert (listener["hears"], listener["feed"]) == ("feed", "call")

    choice.select_option(label="Desk mic")
    expect(page.get_by_text("Hears “Desk mic” at")).to_be_visible()
    raw = wait_until(
        lambda: next((one for one in program.state()["programs"] if one["hears"] == "raw"), None)
    )
    # On a computer that loses sound a proof says so; it never says that the voice arrives.
    not_ours = re.compile("Sound arrives, but not your voice|Too much of the sound was lost")
    send_until(page, not_ours, "Prove what arrives")
    move_until_moved(program, raw["index"])
    send_until(page, ARRIVES, "Prove what arrives")


def move_until_moved(program, index):
    """A server that stands still is told of, and a person presses again."""

    def moved():
        with suppress(HTTPError):
            program.ask("POST", f"/programs/{index}/move", {"to": "call"})
        return {one["index"]: one["hears"] for one in program.state()["programs"]}[index] == "feed"

    wait_until(moved)


ARRIVES = "Treated voice arrives"


def send_until(page, said, button="Send the marker"):
    """A marker in which a busy machine left gaps is sent again, as a person would."""
    arrives = page.get_by_text(said)
    for _ in range(8):
        page.get_by_role("button", name=button).click()
        with suppress(AssertionError):
            expect(arrives).to_be_visible(timeout=20_000)
            return
    expect(arrives).to_be_visible()


@one_server
def test_the_page_shows_this_computer_and_moves_a_program(serve, chromium):
    program = serve()
    page = chromium.new_page()
    page.goto(program.url)
    steps = page.get_by_role("navigation", name="Steps")
    steps.get_by_role("button", name=re.compile("Rig")).click()
    expect(page.get_by_role("radio", name="This computer")).to_be_checked()
    expect(page.get_by_label("Microphone", exact=True)).to_have_value("desk")
    expect(page.get_by_text("simulated")).to_have_count(0)
    page.get_by_role("tab", name="Sound settings").click()
    expect(page.get_by_role("rowheader", name="Desk mic")).to_be_visible()
    slider = page.get_by_label("Slider of Desk mic, percent")
    slider.fill("80")
    slider.press("Enter")
    page.get_by_role("button", name="Set it to 100 %").click()
    expect(slider).to_have_value("100")
    page.get_by_role("button", name="Undo").click()
    expect(slider).to_have_value("80")
    with Recording("desk"):
        steps.get_by_role("button", name=re.compile("Send")).click()
        who = page.get_by_role("region", name="Programs that record")
        expect(who.get_by_text("the raw microphone")).to_be_visible()
        page.get_by_role("button", name="Start live").click()
        who.get_by_role("button", name="Move to Wren: call").click()
        expect(who.get_by_text("Its own menu still names")).to_be_visible()
        expect(page.get_by_text("Walk recorder listens")).to_be_visible()
        send_until(page, ARRIVES)
    name = page.get_by_label("Name of the feed for Call")
    name.fill("Loft desk")
    name.press("Enter")
    expect(page.get_by_text("Choose “Loft desk” as the microphone").first).to_be_visible()


@one_server
def test_a_killed_program_goes_on_where_it_was(serve):
    first = serve()
    first.ask("POST", "/run/start", {})
    with Recording(CALL) as recorder:
        wait_until(lambda: level_of(recorder.hears()) > -60.0)
        first.kill()
        second = serve()
        wait_until(lambda: second.state()["run"]["live"])
        wait_until(lambda: level_of(recorder.hears()) > -60.0)
