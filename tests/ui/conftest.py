"""The real program and a real browser. Chromium is Debian's, headless."""

from __future__ import annotations

import re
import shutil
import subprocess
import sys

import pytest
from playwright.sync_api import expect, sync_playwright

# The first action after a start also loads what computes, and another worker may hold the other core.
expect.set_options(timeout=20_000)

QUIET_FLAGS = ["--no-sandbox", "--disable-background-networking", "--disable-component-update", "--disable-sync", "--no-first-run"]


def pytest_collection_modifyitems(items):
    for item in items:
        if "/ui/" in str(item.path):
            item.add_marker(pytest.mark.ui)


@pytest.fixture
def start(tmp_path):
    """Start the program over a data folder; returns its address."""
    running = []

    def go(*options, data=None):
        folder = tmp_path / "data"
        if data is not None:
            shutil.copytree(data, folder)
        command = [sys.executable, "-m", "obsidian_wren.cli", "serve", "--port", "0", "--data", str(folder), *options]
        process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
        running.append(process)
        return re.search(r"http://[\d.:]+/", process.stdout.readline()).group()

    yield go
    for process in running:
        process.terminate()
        process.wait(timeout=20)


@pytest.fixture(scope="session")
def playwright():
    with sync_playwright() as running:
        yield running


@pytest.fixture
def browse(playwright):
    """Open a page in a browser with extra flags; any error on the page's console fails the test."""
    opened, errors = [], []

    def go(url, *flags, permissions=(), init=None):
        chromium = shutil.which("chromium") or shutil.which("chromium-browser")
        browser = playwright.chromium.launch(executable_path=chromium, args=[*QUIET_FLAGS, *flags])
        opened.append(browser)
        context = browser.new_context(viewport={"width": 1280, "height": 800}, permissions=list(permissions))
        page = context.new_page()
        page.on("pageerror", lambda error: errors.append(str(error)))
        if init:
            page.add_init_script(init)
        page.goto(url)
        page.get_by_role("navigation", name="Steps").wait_for(timeout=30_000)
        return page

    yield go
    for browser in opened:
        browser.close()
    assert errors == []
