"""Two microphones by keyboard alone, versions and a file from elsewhere by mouse."""

import json
import re

from handling import SLOW, button, leaf, step
from playwright.sync_api import expect


def test_two_microphones_by_keyboard_alone(start, browse, boathouse_data):
    page = browse(start("--fast", data=boathouse_data))
    page.keyboard.press("8")
    page.get_by_role("tab", name="Blind", exact=True).focus()
    page.keyboard.press("ArrowRight")
    page.keyboard.press("ArrowRight")
    expect(page.get_by_role("tab", name="Two microphones")).to_have_attribute(
        "aria-selected", "true"
    )
    page.keyboard.press("t")
    expect(
        page.get_by_role("img", name=re.compile("Deck 7 against Reedling 40, in third octaves"))
    ).to_be_visible(timeout=SLOW)
    expect(page.get_by_role("heading", name=re.compile("^Polarity same"))).to_be_visible()
    name = page.get_by_label("Second microphone")
    name.focus()
    name.press("Control+a")
    page.keyboard.type("Deck 9")
    page.keyboard.press("Enter")
    expect(button(page, "Put Deck 9 into the rig")).to_be_enabled()
    button(page, "Compare blind").focus()
    page.keyboard.press("Enter")
    expect(page.get_by_role("combobox", name="Compare")).to_have_value(re.compile("^both:"))
    begin = button(page, "Begin a series")
    begin.focus()
    page.keyboard.press("Enter")
    expect(page.get_by_text("Reedling 40 against Deck 9, both at")).to_be_visible(timeout=SLOW)


def test_versions_and_a_file_from_elsewhere_by_mouse(start, browse, boathouse_data, tmp_path):
    page = browse(start("--fast", data=boathouse_data))
    step(page, "Prove")
    leaf(page, "Carry")
    versions = page.get_by_role("list", name="Versions").get_by_role("button")
    expect(versions.first).to_have_attribute("aria-pressed", "true")
    number = int(versions.first.locator(".num").text_content())
    expect(page.get_by_text(f"Every setting of version {number} is as it is now.")).to_be_visible()
    name = page.get_by_label(f"Name of version {number}")
    name.fill("Dry loft")
    name.press("Enter")
    expect(versions.first.get_by_text("Dry loft")).to_be_visible()
    with page.expect_download() as saved:
        page.get_by_role("link", name="Save as a file").last.click()
    whole = json.loads(saved.value.path().read_text("utf-8"))
    whole["preferences"] = {"taste": {"warmth_db": 3.0}}
    whole["rig"]["name"] = "Quay booth"
    given = tmp_path / "quay.json"
    given.write_text(json.dumps(whole), "utf-8")
    page.get_by_label("Calibration file").set_input_files(given)
    expect(page.get_by_role("heading", name="Nothing is changed yet")).to_be_visible()
    expect(page.get_by_text("warmth +3 dB")).to_be_visible()
    button(page, "Leave").click()
    expect(versions.first.get_by_text("Dry loft")).to_be_visible()
    page.get_by_label("Calibration file").set_input_files(given)
    button(page, "Bring it over").click()
    expect(versions.first.get_by_text("quay.json")).to_be_visible(timeout=SLOW)
    page.get_by_text("Dry loft").click()
    expect(page.get_by_role("columnheader", name="what differs")).to_be_visible(timeout=SLOW)
    button(page, "Bring it back").click()
    expect(page.get_by_text(f"Every setting of version {number} is as it is now.")).to_be_visible(
        timeout=SLOW
    )
    broken = tmp_path / "broken.json"
    broken.write_text("{", "utf-8")
    page.get_by_label("Calibration file").set_input_files(broken)
    expect(page.get_by_text("broken.json is not JSON")).to_be_visible()
