"""The page is opened in the person's browser."""

from __future__ import annotations

import html
import webbrowser
from pathlib import Path

from obsidian_wren.cli import tell
from obsidian_wren.core.wording import _
from obsidian_wren.ports.disk import disk_errors
from obsidian_wren.service.errors import Refused
from obsidian_wren.store.folder import write_through

_FILE = "page.html"


def open_page(folder: Path, address: str) -> None:
    """Open an address, by a file that leads there: everybody on this machine can read what a
    browser is started with, and the address holds the token."""
    there = html.escape(address)
    leads = f'<!doctype html><meta http-equiv="refresh" content="0;url={there}">'
    with disk_errors(_("opening the page")):
        write_through(folder / _FILE, leads.encode())
    webbrowser.open((folder / _FILE).resolve().as_uri())


def show_page(folder: Path) -> int:
    """Open the page of the program that works in a folder already. Raises Refused where it does
    not answer."""
    address = tell.answer_of(str(folder), "page")
    if address is None:
        raise Refused(
            "not-answering",
            _(
                "The program that works in {path} does not answer yet. Try again in a moment.",
                path=folder,
            ),
        )
    open_page(folder, address)
    return 0
