"""The whole page in a language that nobody speaks: every word comes from the catalogue, every
number has its decimal mark, and nothing is cut off though all of it is longer."""

import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

import pytest
from playwright.sync_api import expect
from test_any_way import CUT_OFF, leaves

import pseudo
from test_languages import NAMES, UNITS

FRONTEND = Path(__file__).parents[2] / "frontend"
# Everything that is read or heard, each with what holds it.
SAID = """() => {
  const said = [[document.title, 'title']];
  const walker = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
  while (walker.nextNode()) {
    const holder = walker.currentNode.parentElement;
    // What is said to be in another language is.
    if (['SCRIPT', 'STYLE'].includes(holder.tagName) || holder.lang) continue;
    said.push([walker.currentNode.data, holder.tagName]);
  }
  const names = ['aria-label', 'aria-valuetext', 'title', 'placeholder'];
  for (const name of names)
    for (const each of document.querySelectorAll(`[${name}]`))
      said.push([each.getAttribute(name), name]);
  return said;
}"""
# Keys as they stand on a keyboard, units, and forms of files.
ALSO = re.compile(r"\b(Ctrl|Shift|Space|Tab|Esc|Escape|MIDI|USB|XLR|CSV|PNG|SVG|ISO|oct|ppm|min)\b")
# What things in the simulated room are called in its file.
THINGS = re.compile(r"heater|bilge pump|rain on the roof|lamp|charger")


@pytest.fixture(scope="module")
def address(together, tmp_path_factory):
    spoken, folder = pseudo.spoken_once(together), tmp_path_factory.mktemp("page")
    catalogue, page = spoken / "pl.po", folder / "page"
    shutil.copytree(spoken / "data", folder / "data")
    env = {**os.environ, "OPENBLAS_NUM_THREADS": "1"}
    built = {"WREN_LANGUAGE": str(catalogue), "WREN_PAGE": str(page), "WREN_PLAIN": "1"}
    subprocess.run(
        ["npx", "vite", "build", "--logLevel", "warn"],
        cwd=FRONTEND,
        env=env | built,
        check=True,
    )
    options = ["serve", "--simulated", "--fast", "--no-token", "--port", "0"]
    command = [sys.executable, "-P", "-m", "obsidian_wren.cli", "--language", catalogue, *options]
    with subprocess.Popen(
        [*command, "--data", folder / "data"],
        env=env | {"OBSIDIAN_WREN_PAGE": str(page)},
        stdout=subprocess.PIPE,
        text=True,
    ) as program:
        yield re.search(r"http://\S+/", program.stdout.readline()).group()
        program.terminate()


def in_english(text):
    return re.search(
        r"[A-Za-z]{3,}", THINGS.sub("", ALSO.sub("", UNITS.sub("", NAMES.sub("", text))))
    )


def test_no_word_is_left_in_english_no_point_in_a_number_and_nothing_is_cut_off(address, launch):
    page = launch().new_page(viewport={"width": 1280, "height": 800})
    page.set_default_timeout(180_000)
    page.goto(address)
    page.locator("nav").first.wait_for()
    assert page.locator("html").get_attribute("lang") == pseudo.LOCALE
    found, cut = set(), set()
    for leaf in leaves():
        page.evaluate("to => { location.hash = to }", leaf)
        page.locator(f"#leaf-{leaf.partition('/')[2]}[aria-selected=true]").wait_for()
        expect(page.locator("[aria-busy=true]")).to_have_count(0, timeout=180_000)
        cut |= {(leaf, what) for what in page.evaluate(CUT_OFF)}
        # The numbers of a picture are words too.
        if page.locator("#leaf .save > button:nth-child(4)").count():
            page.evaluate(
                "document.querySelector('#leaf .save:has(> :nth-child(4)) button').click()"
            )
            page.locator("dialog[open]").wait_for(timeout=20_000)
        for text, holder in page.evaluate(SAID):
            plain = NAMES.sub("", text)
            if in_english(text) or re.search(r"\d\.\d", plain):
                found.add((leaf, holder, " ".join(text.split())))
        page.keyboard.press("Escape")
    left = sorted(
        {(text, min(leaf for leaf, _, other in found if other == text)) for *_, text in found}
    )
    assert left == []
    assert sorted(cut) == []
    page.context.close()
