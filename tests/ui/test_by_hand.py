"""Rig, Quiet and Gain by hand: the hunt, the dial, the audit, the plan, undo, the live stream."""

import re

import pytest
from handling import SLOW, button, leaf, number, status, step
from playwright.sync_api import expect


@pytest.fixture
def page(start, browse, boathouse_data):
    return browse(start("--fast", data=boathouse_data))


def level_in(text):
    return float(re.search(r"[−+-]?[\d.]+", text).group().replace("−", "-"))


def test_the_hunt(page):
    step(page, "Quiet")
    leaf(page, "Listen in")
    button(page, "Listen in").click()
    now = page.locator(".numbers .num").first
    expect(now).to_have_text(re.compile(r"−7\d\.\d"), timeout=SLOW)
    page.wait_for_timeout(2500)
    button(page, "Hold this").click()
    expect(page.get_by_text("against what you held")).to_be_visible()
    page.get_by_label("heater", exact=True).uncheck()
    expect(page.locator(".difference")).to_have_text(re.compile(r"−[4-9]\.\d dB"), timeout=SLOW)
    expect(page.get_by_text("fell most at")).to_be_visible()
    button(page, "Stop listening").click()
    button(page, "Undo").click()
    expect(page.get_by_label("heater", exact=True)).to_be_checked()


def test_the_parts_of_the_floor(page):
    step(page, "Quiet")
    leaf(page, "In use")
    button(page, "Record the room in use, 20 s").click()
    expect(page.get_by_role("heading", name="Keys, mouse and knocks")).to_be_visible(timeout=SLOW)
    leaf(page, "Where it comes from")
    button(page, "Record the muted input, 8 s").click()
    expect(page.get_by_text("would separate the converter from the preamp")).to_be_visible(
        timeout=SLOW
    )
    page.locator("footer").get_by_label("at").fill("10")
    button(page, "Record the room at another gain, 12 s").click()
    expect(page.get_by_text("more preamp gain adds no audible noise")).to_be_visible(timeout=SLOW)
    expect(page.get_by_role("img", name=re.compile("converter −9\\d"))).to_be_visible()


def test_the_audit_and_a_name_of_ones_own(page):
    step(page, "Rig")
    button(page, "See them").click()
    findings = page.get_by_role("list", name="What disagrees in the sound settings")
    expect(findings.get_by_role("listitem")).to_have_count(4)
    for action in (
        "Make Line 3 (USB Audio 2.0) the default input",
        "Set it to 48 kHz",
        "Make Line 3 (USB Audio 2.0) the default output",
        "Set it to 24 bit",
    ):
        button(page, action).click()
        # The list is shorter then, and nothing moves under the pointer any more.
        expect(button(page, action)).to_have_count(0, timeout=SLOW)
    expect(page.get_by_text("Nothing disagrees")).to_be_visible()
    page.get_by_label("Your name for Line 3 (USB Audio 2.0)").first.fill("Loft mic")
    page.get_by_label("Your name for Line 3 (USB Audio 2.0)").first.blur()
    row = page.get_by_role("row").filter(has=page.get_by_text("this rig", exact=True))
    row.get_by_role("button", name="Unplug").click()
    expect(page.get_by_text("The interface is not connected.", exact=True)).to_be_visible()
    row.get_by_role("button", name="Plug in").click()
    expect(page.get_by_text("The interface is not connected.", exact=True)).not_to_be_visible()
    expect(row.get_by_role("textbox").first).to_have_value("Loft mic")
    expect(row).to_contain_text(re.compile(r"Line (8|9|10|11) \(USB Audio 2\.0\)"))
    expect(findings).to_contain_text("Enhancements are on")


def test_a_dial_is_learned_and_followed(page):
    step(page, "Rig")
    leaf(page, "Interface")
    button(page, "Add an interface").click()
    expect(page.get_by_label("Name")).to_have_value("New interface 2")
    page.get_by_label("Knob is marked").select_option(label="with numbers")
    step(page, "Gain")
    leaf(page, "Learn a dial")
    mark, taken = page.get_by_label("It is now at"), []
    expect(mark).to_have_value("5")
    for position in ("2", "4", "6", "8"):
        mark.fill(position)
        mark.blur()
        button(page, "Record this mark, 5 s").click()
        taken.append(position)
        learned = "One mark is recorded" if len(taken) == 1 else f"learned at {', '.join(taken)}"
        expect(page.get_by_text(learned)).to_be_visible(timeout=SLOW)
    leaf(page, "What to turn")
    button(page, "Record normal talk").click()
    advice = page.get_by_role("heading", name=re.compile(r"Turn the preamp from 5 to about \d"))
    expect(advice).to_be_visible(timeout=SLOW)
    button(page, "Turn it").click()
    expect(status(page, "Gain")).to_have_text("outdated")
    button(page, "Record normal talk").click()
    expect(page.get_by_role("heading", name="Leave the preamp where it is")).to_be_visible(
        timeout=SLOW
    )
    assert -15.0 <= number(page, "Highest peak") <= -10.0


def test_the_plan_stage_by_stage(page):
    step(page, "Gain")
    leaf(page, "What to turn")
    slider = page.get_by_role("row", name=re.compile("Input slider"))
    for _ in range(4):
        slider.get_by_role("button", name="Turn Input slider down").click()
    expect(slider).to_contain_text("80 %")
    expect(status(page, "Gain")).to_have_text("outdated")
    button(page, "Record normal talk").click()
    expect(slider).to_contain_text("set from 80 % to 100 %", timeout=SLOW)
    expect(
        page.get_by_role("heading", name=re.compile("Set the input slider from 80 % to 100 %"))
    ).to_be_visible()
    slider.get_by_role("button", name="Do it").click()
    button(page, "Record normal talk").click()
    expect(page.get_by_role("heading", name="Leave the preamp where it is")).to_be_visible(
        timeout=SLOW
    )
    page.get_by_label("from", exact=True).fill("-20")
    page.get_by_label("from", exact=True).blur()
    page.get_by_label("to dBFS").fill("-16")
    page.get_by_label("to dBFS").blur()
    expect(page.get_by_role("heading", name=re.compile("Turn the preamp down"))).to_be_visible(
        timeout=SLOW
    )
    expect(page.get_by_text("target for peaks −20 to −16")).to_be_visible()


def test_a_turned_knob_is_predicted_and_derived_again_by_one_press(page):
    step(page, "Gain")
    leaf(page, "What to turn")
    for _ in range(3):
        button(page, "Turn Preamp down").click()
    expect(page.get_by_role("heading", name="Outdated")).to_be_visible()
    expect(page.get_by_text("−3.0 dB predicted")).to_be_visible()
    expect(page.get_by_text("room (A), predicted")).to_be_visible()
    button(page, "Recalculate").click()
    expect(button(page, "Recalculate")).to_have_count(0, timeout=SLOW)
    expect(page.get_by_text("predicted", exact=True)).to_be_visible()
    page.keyboard.press("Control+z")
    expect(page.get_by_role("row", name=re.compile("Preamp"))).to_contain_text("30 dB")
    page.keyboard.press("Control+Shift+z")
    expect(page.get_by_role("row", name=re.compile("Preamp"))).to_contain_text("29 dB")


def test_the_live_meter_counts_and_holds(page):
    step(page, "Gain")
    leaf(page, "Live")
    expect(page.get_by_text("this shows where your level lies")).to_be_visible()
    button(page, "Listen in").click()
    expect(page.locator(".tools")).to_contain_text(
        re.compile(r"highest of [5-9] s −\d+\.\d dBFS"), timeout=SLOW
    )
    held = level_in(page.locator(".tools").get_by_text("held").inner_text())
    assert -30 < held < -5
    expect(page.locator(".tools").get_by_text("clipped")).to_contain_text("0")
    leaf(page, "What to turn")
    # Leaving the picture stops the listening.
    expect(page.get_by_text("Not live")).to_be_visible()
    leaf(page, "Live")
    expect(button(page, "Listen in")).to_be_visible()


def test_a_response_file_comes_in_and_is_named_by_its_bad_line(page, tmp_path):
    step(page, "Rig")
    leaf(page, "Microphone")
    bad, good = tmp_path / "bad.txt", tmp_path / "reedling.txt"
    bad.write_text("20 1\nthree 4\n500 0\n1000 0\n".replace("three", "3x"))
    good.write_text("\n".join(f"{hz}\t{0.001 * hz / 4:.2f}" for hz in range(20, 20_000, 400)))
    page.get_by_label("Response file").set_input_files(bad)
    expect(page.get_by_role("alert")).to_contain_text("bad.txt, line 2")
    button(page, "Understood").click()
    page.get_by_label("Response file").set_input_files(good)
    expect(
        page.get_by_role("img", name="The microphone’s response, dB against 1 kHz")
    ).to_be_visible()
    expect(status(page, "Tone")).to_have_text("outdated")
    button(page, "Recalculate").click()
    expect(status(page, "Tone")).to_have_text("confirmed", timeout=SLOW)
    with page.expect_download() as download:
        page.get_by_role("link", name="Export it").click()
    assert "20\t" in download.value.path().read_text()


def test_a_second_rig_shares_its_things(page):
    page.get_by_role("combobox", name="Rig", exact=True).select_option(
        label="Another rig, like this one…"
    )
    expect(page.get_by_role("combobox", name="Rig", exact=True)).to_contain_text(
        "Rig 2: Reedling 40 through Towpath Two, Boathouse loft"
    )
    expect(status(page, "Quiet")).to_have_text("not yet")
    leaf(page, "Room and placement")
    page.get_by_label("Mouth to microphone, cm").fill("60")
    page.get_by_label("Mouth to microphone, cm").blur()
    expect(page.get_by_text("Moving from 60 to 15 cm")).to_be_visible()
    expect(page.get_by_text("+12.0 dB")).to_be_visible()
    page.get_by_role("combobox", name="Rig", exact=True).select_option(index=0)
    expect(status(page, "Quiet")).to_have_text("confirmed")


def test_the_stream_comes_back_after_a_restart(browse, start_again):
    page = browse(start_again())
    step(page, "Quiet")
    leaf(page, "Listen in")
    button(page, "Listen in").click()
    now = page.locator(".numbers .num").first
    expect(now).to_have_text(re.compile(r"−\d\d\.\d"), timeout=SLOW)
    start_again()
    # The page finds the program again by itself, sees that nobody listens any more, and frames flow
    # when asked.
    expect(button(page, "Listen in")).to_be_visible(timeout=SLOW)
    button(page, "Listen in").click()
    expect(button(page, "Stop listening")).to_be_visible(timeout=SLOW)
    expect(now).to_have_text(re.compile(r"−\d\d\.\d"), timeout=SLOW)
