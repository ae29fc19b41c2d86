"""Many pages of one browser, pages that lose the program, and what is wrong in the folder."""

import json
import re
import shutil

from handling import SLOW, button, leaf, step
from playwright.sync_api import expect


def test_ten_tabs_work_with_headphones_in_one(start, browse, boathouse_data):
    first = browse(start("--fast", data=boathouse_data))
    pages = [first]
    for _ in range(9):
        page = browse.context.new_page()
        page.goto(first.url)
        page.get_by_role("navigation", name="Steps").wait_for()
        # Every one of them is looked at, as in windows side by side.
        pages.append(page)
    step(first, "Steady")
    leaf(first, "Compressor")
    button(first, "Hear live").click()
    expect(first.get_by_role("status").filter(has_text="Headphones only")).to_contain_text(
        re.compile(r"\d+ ms behind you"), timeout=SLOW
    )
    for number, page in enumerate(pages[1:]):
        step(page, "Rig")
        leaf(page, "Room and placement")
        page.get_by_label("Mouth to microphone, cm").fill(str(30 + number))
        with page.expect_response("**/api/rig"):
            page.get_by_label("Mouth to microphone, cm").blur()
    step(first, "Rig")
    leaf(first, "Room and placement")
    expect(first.get_by_label("Mouth to microphone, cm")).to_have_value("38", timeout=SLOW)


def test_what_is_typed_stands_whatever_another_page_does_meanwhile(start, browse, boathouse_data):
    mine = browse(start("--fast", data=boathouse_data))
    theirs = browse.context.new_page()
    theirs.goto(mine.url)
    for page in (mine, theirs):
        step(page, "Rig")
        leaf(page, "Room and placement")

    def distance(page):
        return page.get_by_label("Mouth to microphone, cm")

    def angle(page):
        return page.get_by_label("Off its axis, degrees")

    distance(mine).fill("31")
    for field, value in ((distance, "27"), (angle, "35")):
        field(theirs).fill(value)
        field(theirs).blur()
    expect(angle(mine)).to_have_value("35")
    expect(distance(mine)).to_have_value("31")
    distance(mine).blur()
    expect(distance(theirs)).to_have_value("31")
    # Nothing typed is not a distance: what is kept is shown again.
    distance(mine).fill("")
    distance(mine).blur()
    expect(distance(mine)).to_have_value("31")


def test_a_page_says_when_the_program_is_gone_and_comes_back_by_itself(browse, start_again):
    page = browse(start_again())
    step(page, "Quiet")
    start_again.kill()
    gone = page.get_by_text("No connection to the program")
    expect(gone).to_be_visible()
    expect(page.locator(".page.old main")).to_have_css("opacity", "0.55")
    start_again()
    expect(gone).to_be_hidden()
    expect(page.locator(".page.old")).to_have_count(0)
    leaf(page, "Listen in")
    button(page, "Listen in").click()
    expect(button(page, "Stop listening")).to_be_visible()


def test_a_page_without_the_token_says_where_to_find_it(start, launch, boathouse_data):
    address = start(data=boathouse_data)
    context = launch().new_context()
    page = context.new_page()
    page.goto(address.split("?")[0])
    expect(page.get_by_role("alert")).to_contain_text("Open the whole address printed at the start")
    page.goto(address)
    page.get_by_role("navigation", name="Steps").wait_for()
    assert "token" not in page.url
    context.close()


def test_what_is_wrong_in_the_folder_is_told_where_it_is(start, browse, boathouse_data, tmp_path):
    broken = tmp_path / "broken"
    shutil.copytree(boathouse_data, broken)
    (broken / "parts" / "notes.json").write_text(json.dumps({"mine": True}))
    passage = max((broken / "takes").glob("*.flac"), key=lambda path: path.stat().st_size)
    passage.write_bytes(passage.read_bytes()[:1000])
    page = browse(start("--fast", data=broken))
    expect(page.get_by_text("One thing in the data folder needs a look")).to_be_visible()
    expect(page.get_by_text("notes.json")).to_be_visible()
    step(page, "Tone")
    # Found a moment after the start, when every file is held against what was kept.
    page.locator(".chip", has=page.get_by_role("img", name="fault")).first.click(timeout=SLOW)
    expect(page.get_by_text("Its sound is damaged")).to_be_visible()
