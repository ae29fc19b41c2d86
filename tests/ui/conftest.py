"""The real program and a real browser. Chromium is Debian's, headless."""

from __future__ import annotations

import os
import shutil
from itertools import groupby

import pytest
from playwright.sync_api import expect, sync_playwright

from program import Program

# The first action after a start also loads what computes, and another worker may hold the other core.
expect.set_options(timeout=20_000)

QUIET_FLAGS = ["--no-sandbox", "--disable-background-networking", "--disable-component-update", "--disable-sync", "--no-first-run"]


def pytest_collection_modifyitems(items):
    """An order that keeps every worker busy.

    Tests of pages wait more than they compute, so they are spread among the others. Each worker gets a stretch of the order: the first
    stretch begins with who makes the boathouse, the others with tests that need none of it.
    """
    for item in items:
        if "/ui/" in str(item.path):
            item.add_marker(pytest.mark.ui)
    waiting = [item for item in items if "boathouse_data" in item.fixturenames]
    others = [item for item in items if "boathouse_data" not in item.fixturenames]
    workers = int(os.environ.get("PYTEST_XDIST_WORKER_COUNT", "1"))
    if workers == 1 or not waiting:
        return
    order = []
    for number in range(workers):
        parts = [_spread(part[number * len(part) // workers : (number + 1) * len(part) // workers]) for part in (waiting, others)]
        order += parts[0] + parts[1] if number == 0 else parts[1] + parts[0]
    items[:] = order


def _spread(items):
    """Tests of pages between the modules of the others, whose fixtures last for a module."""
    pages = [item for item in items if item.get_closest_marker("ui")]
    found = [item for item in items if not item.get_closest_marker("ui")]
    order, done, placed = [], 0, 0
    for _, module in groupby(found, key=lambda item: item.path):
        order += (tests := list(module))
        done += len(tests)
        due = len(pages) * done // len(found)
        order += pages[placed:due]
        placed = due
    return order + pages[placed:]


@pytest.fixture
def start(tmp_path):
    """Start the program over a data folder; returns its address."""
    running = []

    def go(*options, data=None):
        folder = tmp_path / "data"
        if data is not None:
            shutil.copytree(data, folder)
        running.append(Program(folder, *options))
        return running[-1].url

    yield go
    for program in running:
        program.end()


@pytest.fixture(scope="session")
def launch():
    """Launch a browser; the usual one is launched once."""
    with sync_playwright() as playwright:
        chromium = shutil.which("chromium") or shutil.which("chromium-browser")
        usual = []

        def go(*flags):
            if flags:
                return playwright.chromium.launch(executable_path=chromium, args=[*QUIET_FLAGS, *flags])
            if not usual:
                usual.append(playwright.chromium.launch(executable_path=chromium, args=QUIET_FLAGS))
            return usual[0]

        yield go


@pytest.fixture
def browse(launch):
    """Open a page, in a browser of its own where it needs extra flags; any error on the page's console fails the test."""
    opened, errors = [], []

    def go(url, *flags, permissions=(), init=None):
        browser = launch(*flags)
        context = browser.new_context(viewport={"width": 1280, "height": 800}, permissions=list(permissions))
        opened.append(browser if flags else context)
        page = context.new_page()
        page.on("pageerror", lambda error: errors.append(str(error)))
        if init:
            page.add_init_script(init)
        page.goto(url)
        page.get_by_role("navigation", name="Steps").wait_for(timeout=30_000)
        return page

    yield go
    for what in opened:
        what.close()
    assert errors == []
