"""The guided run: from an empty folder to a proved feed, by keys alone and by touch."""

import re

import pytest
from handling import SLOW
from playwright.sync_api import expect

PARTS = ("Record the room", "Record normal talk", "Record your loudest", "Read the passage")


@pytest.mark.parametrize("way", ["keys", "touch"])
def test_from_an_empty_folder_to_a_proof_in_few_presses(start, browse, way):
    page = browse(start("--fast"), touch=way == "touch")
    presses = 0

    def press(name):
        nonlocal presses
        presses += 1
        button = page.get_by_role("button", name=name, exact=True)
        expect(button).to_be_enabled(timeout=SLOW)
        if way == "keys":
            button.press("Enter")
        else:
            button.tap()

    # Who has nothing yet is led there.
    expect(page).to_have_title(re.compile("Calibrate now"))
    page.get_by_label("The simulated boathouse").check()
    for part in PARTS:
        press(part)
        # Advice that comes of the talk is followed once.
        if part == "Record normal talk":
            expect(page.get_by_role("heading", name=re.compile("Turn the preamp"))).to_be_visible(
                timeout=SLOW
            )
            press("Turn it")
            presses -= 1
        # It can be left and gone on with: what was taken is there.
        if part == "Record your loudest":
            expect(page.get_by_role("button", name="Read the passage")).to_be_enabled(timeout=SLOW)
            page.reload()
            expect(page).to_have_title(re.compile("Calibrate now"))
    # Sound comes before anything else is asked.
    press("▶ Hear before and after")
    expect(page.get_by_role("button", name="■ Stop")).to_be_visible()
    press("Use all of it")
    lines = page.get_by_role("listitem")
    expect(lines.filter(has_text="Steady")).to_contain_text("LUFS", timeout=SLOW)
    press("Start live")
    expect(page.get_by_role("button", name="Check what arrives")).to_be_enabled(timeout=SLOW)
    # What a person does in the call program is no press here.
    page.get_by_label("chooses").first.select_option("Wren: call")
    press("Check what arrives")
    expect(page.get_by_text("1 of 1 hear what they should")).to_be_visible(timeout=SLOW)
    assert presses == 8


def test_who_opens_the_demo_sees_it_finished_and_can_begin_with_an_own_microphone(
    start, browse, boathouse_data
):
    page = browse(start("--fast", data=boathouse_data), arrive=True)
    lines = page.get_by_role("region", name="Calibrated").get_by_role("listitem")
    expect(lines).to_have_count(8)
    expect(page.get_by_role("button", name="Start live")).to_be_enabled()
    # It is heard in turns, and without any step that does something.
    said = page.get_by_text(re.compile(r"In turns|without a gap"))
    page.get_by_role("button", name="Hear before and after").click()
    expect(said).to_have_text("In turns, five seconds each", timeout=SLOW)
    page.keyboard.press("f")
    expect(said).to_be_hidden()
    # Whichever of the two it was: the turns are over, and the other one comes by the key.
    both = page.get_by_role("button", name=re.compile("^(Raw|Treated)$"), pressed=True)
    expect(both).to_have_count(1)
    other = {"Raw": "Treated", "Treated": "Raw"}[both.inner_text()]
    page.keyboard.press("f")
    expect(page.get_by_role("button", name=other, exact=True, pressed=True)).to_be_visible()
    page.get_by_role("button", name="Hear without it: Steady").click()
    expect(said).to_have_text("Treated, switching without a gap")
    page.get_by_role("button", name="Raw", exact=True).click()
    expect(said).to_be_hidden()
    page.get_by_role("button", name="Stop", exact=False).first.click()
    # Each line opens its step.
    lines.filter(has_text="dBFS").first.get_by_role("button").click()
    expect(page).to_have_title(re.compile("Quiet"))
    page.go_back()
    page.get_by_role("button", name="Start with your own microphone").click()
    expect(page.get_by_role("button", name="Record the room")).to_be_enabled(timeout=SLOW)
    expect(page.get_by_label("The browser’s microphone")).to_be_checked()
    expect(page.get_by_role("combobox", name="Rig", exact=True)).to_contain_text(
        "My own microphone"
    )
    # Leaving keeps what there is.
    page.get_by_role("button", name="Leave and keep what is done").click()
    expect(page.get_by_role("tablist")).to_be_visible()


def test_the_check_of_every_day_is_the_same_run(start, browse, boathouse_data):
    page = browse(start("--fast", data=boathouse_data), arrive=True)
    page.get_by_role("button", name="Check, 20 s").click()
    expect(page.get_by_role("heading", name="Check what moved")).to_be_visible()
    expect(page.get_by_text("Nothing drifted")).to_be_visible(timeout=SLOW)
    parts = page.get_by_role("list", name="Parts").get_by_role("listitem")
    expect(parts).to_contain_text(["Room done", "Sentence done"])
    page.get_by_role("button", name="Back to the calibration").first.click()
    expect(page.get_by_role("heading", name="Calibrated")).to_be_visible()
    # The next one begins with nothing found, and its key is the one of every take.
    page.get_by_role("button", name="Check, 20 s").click()
    page.get_by_role("button", name="Check again").wait_for(timeout=SLOW)
    page.keyboard.press("t")
    page.get_by_role("button", name="All that was compared").click(timeout=SLOW)
    expect(page).to_have_title(re.compile("Since then"))


def test_the_room_in_use_can_be_taken_at_the_end_and_shows_what_moves(
    start, browse, boathouse_data
):
    page = browse(start("--fast", data=boathouse_data), arrive=True)
    page.get_by_role("button", name=re.compile("Record the room in use")).click()
    clean = page.get_by_role("region", name="Calibrated").get_by_role("listitem").nth(3)
    expect(clean).to_contain_text("what moves", timeout=SLOW)
    clean.get_by_role("button").first.click()
    page.get_by_role("tab", name="What moves").click()
    expect(page.get_by_label(re.compile("moments in which something moves"))).to_be_visible()
    expect(page.get_by_text(re.compile("Your room in use rises up to"))).to_be_visible()
    expect(page.get_by_text("+32 ms")).to_be_visible()
