"""The real program and a real browser. Chromium is Debian's, headless."""

from __future__ import annotations

import shutil
import socket

import pytest
from playwright.sync_api import expect, sync_playwright

from program import Program

# Waits end with what they wait for; the bound only ends what would never come, on the slowest
# machine.
expect.set_options(timeout=180_000)

# Where a page without an open step leads.
SEND = 6
QUIET_FLAGS = [
    "--no-sandbox",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--no-first-run",
]


@pytest.fixture
def start(tmp_path):
    """Start the program over a data folder; returns its address."""
    running = []

    def go(*options, data=None):
        folder = tmp_path / "data"
        if data is not None:
            shutil.copytree(data, folder)
        running.append(Program(folder, *options))
        return running[-1].address

    yield go
    for program in running:
        program.end()
        assert "Traceback" not in program.log.read_text()


@pytest.fixture(scope="module")
def looked_at(boathouse_data, tmp_path_factory):
    """The address of a program over the boathouse, for those tests of a file that only look."""
    folder = tmp_path_factory.mktemp("looked-at") / "data"
    shutil.copytree(boathouse_data, folder)
    program = Program(folder, "--fast")
    yield program.address
    program.end()
    assert "Traceback" not in program.log.read_text()


@pytest.fixture
def start_again(boathouse_data, tmp_path):
    """Start the program over the boathouse at one address; called again, what runs is killed
    first."""
    shutil.copytree(boathouse_data, tmp_path / "again")
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    running = []

    def go():
        if running:
            running[-1].kill()
        running.append(Program(tmp_path / "again", "--fast", port=port))
        return running[-1].address

    def kill():
        running[-1].kill()

    go.kill = kill
    yield go
    running[-1].end()


@pytest.fixture(scope="session")
def launch():
    """Launch a browser; the usual one is launched once."""
    with sync_playwright() as playwright:
        chromium = shutil.which("chromium") or shutil.which("chromium-browser")
        usual = []

        def go(*flags):
            if flags:
                return playwright.chromium.launch(
                    executable_path=chromium, args=[*QUIET_FLAGS, *flags]
                )
            if not usual:
                usual.append(playwright.chromium.launch(executable_path=chromium, args=QUIET_FLAGS))
            return usual[0]

        yield go


def first_open(page):
    steps = page.get_by_role("navigation", name="Steps").get_by_role("button")
    said = steps.all_inner_texts()
    found = [place for place, text in enumerate(said) if "open" in text]
    steps.nth(found[0] if found else SEND).click()


@pytest.fixture
def browse(launch):
    """Open a page, in a browser of its own where it needs extra flags; any error on the page's
    console fails the test.

    A finished calibration is what a page opens with; who does not want to ``arrive`` there goes on
    to the first step that is open.
    """
    opened, errors = [], []

    def go(url, *flags, permissions=(), init=None, touch=False, arrive=False):
        browser = launch(*flags)
        context = browser.new_context(
            viewport={"width": 400, "height": 800} if touch else {"width": 1280, "height": 800},
            permissions=list(permissions),
            has_touch=touch,
        )
        context.set_default_timeout(180_000)
        opened.append(browser if flags else context)
        page = context.new_page()
        page.on("pageerror", lambda error: errors.append(str(error)))
        go.context = context
        if init:
            page.add_init_script(init)
        page.goto(url)
        page.get_by_role("navigation", name="Steps").wait_for(timeout=180_000)
        if not arrive and page.locator("#done").count():
            first_open(page)
        return page

    yield go
    for what in opened:
        what.close()
    assert errors == []
