"""Prove in the page: a blind series by keyboard, a check by mouse."""

import re

from handling import SLOW, button, leaf, status, step
from playwright.sync_api import expect


def test_a_blind_series_by_keyboard_alone(start, browse, boathouse_data):
    page = browse(start("--fast", data=boathouse_data))
    asked = []
    page.on("request", lambda request: asked.append(request.url))
    page.keyboard.press("8")
    expect(page.get_by_role("heading", name="Prove", exact=True)).to_be_visible()
    rounds = page.get_by_label("Rounds")
    rounds.focus()
    rounds.press("ArrowUp")
    begin = button(page, "Begin a series")
    begin.focus()
    page.keyboard.press("Enter")
    expect(page.get_by_text("Round 1 of 8.")).to_be_visible(timeout=SLOW)
    expect(page.get_by_text("0.00 LU apart")).to_be_visible()
    one, other = (page.get_by_role("button", name=re.compile(f"^{n} ")) for n in ("one", "other"))
    expect(one).to_have_attribute("aria-pressed", "true", timeout=SLOW)
    page.keyboard.press("ArrowRight")
    expect(other).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("ArrowLeft")
    expect(one).to_have_attribute("aria-pressed", "true")
    page.keyboard.press(" ")
    expect(one).to_have_attribute("aria-pressed", "false")
    for number in range(1, 9):
        expect(page.get_by_text(f"Round {number} of 8.")).to_be_visible()
        page.keyboard.press("s")
    expect(page.get_by_text("You do not hear a difference")).to_be_visible()
    expect(page.get_by_text("4 of 8", exact=True)).to_be_visible()
    # Nothing that was asked for names what is behind one and other.
    sounds = {re.sub(r".*/series/sound/", "", url) for url in asked if "/series/sound/" in url}
    assert sounds == {"one", "other"}
    page.keyboard.press("Control+z")
    expect(page.get_by_text("Nothing is known about what you hear of it, blind")).to_be_visible()


def test_a_check_by_mouse_and_what_it_found_is_kept(start, browse, boathouse_data):
    page = browse(start("--fast", data=boathouse_data))
    step(page, "Rig")
    leaf(page, "Room and placement")
    distance = page.get_by_label("Mouth to microphone, cm")
    distance.fill("33")
    distance.press("Enter")
    step(page, "Prove")
    leaf(page, "Since then")
    button(page, "Record a check, 20 s").click()
    expect(
        page.get_by_text(re.compile("You sit farther from the microphone: 22 → 3"))
    ).to_be_visible(timeout=SLOW)
    expect(status(page, "Prove")).to_have_text("outdated")
    button(page, "Keep it as it is now").click()
    expect(status(page, "Tone")).not_to_have_text("outdated", timeout=SLOW)
    button(page, "Record a check, 20 s").click()
    expect(page.get_by_role("list", name="Checks").get_by_role("button")).to_have_count(
        2, timeout=SLOW
    )
    expect(page.get_by_role("heading", name="Nothing drifted")).to_be_visible()
