"""The whole job by clicking."""

import re

import pytest
from handling import (
    SLOW,
    button,
    leaf,
    number,
    seconds_recorded,
    seconds_taken,
    send_until_it_arrives,
    status,
    step,
)
from playwright.sync_api import expect


def test_from_an_empty_folder_to_a_proof(start, browse):
    page = browse(start("--fast"))
    expect(page.get_by_text("Nothing is measured yet")).to_be_visible()
    for name, thing in (
        ("Microphone", "Reedling 40"),
        ("Interface", "Towpath Two"),
        ("Room and placement", "Boathouse loft"),
    ):
        leaf(page, name)
        page.get_by_label("Name").fill(thing)
        page.get_by_label("Name").blur()
    page.get_by_text("The simulated boathouse").click()
    expect(page.get_by_role("combobox", name="Rig", exact=True)).to_contain_text(
        "My rig: Reedling 40 through Towpath Two, Boathouse loft"
    )
    button(page, "Confirm rig").click()

    expect(status(page, "Quiet")).to_have_text("not yet")
    button(page, "Record the room, 15 s").click()
    expect(page.get_by_text("Steady over 15 s")).to_be_visible(timeout=SLOW)
    assert -80 < number(page, "Room at rest") < -60
    expect(page.get_by_text("mains hum, 49.98 Hz")).to_be_visible()
    button(page, "Confirm quiet").click()

    button(page, "Record normal talk").click()
    advice = page.get_by_role("heading", name=re.compile(r"Turn the preamp up \d+ dB"))
    expect(advice).to_be_visible(timeout=SLOW)
    before = number(page, "Highest peak")
    by = int(re.search(r"up (\d+) dB", advice.inner_text()).group(1))
    button(page, "Turn it").click()
    expect(status(page, "Gain")).to_have_text("outdated")
    expect(page.get_by_text(re.compile(r"Measured at \d+ dB gain, now \d+"))).to_be_visible()
    button(page, "Record normal talk").click()
    expect(page.get_by_role("heading", name="Leave the preamp where it is")).to_be_visible(
        timeout=SLOW
    )
    assert number(page, "Highest peak") == pytest.approx(before + by, abs=1.0)
    assert -15 <= number(page, "Highest peak") <= -10
    button(page, "Confirm gain").click()

    step(page, "Quiet")
    expect(status(page, "Quiet")).to_have_text("outdated")
    button(page, "Record the room, 15 s").click()
    expect(status(page, "Quiet")).to_have_text("confirmed", timeout=SLOW)

    step(page, "Tone")
    expect(page.get_by_text("The ferry leaves the boathouse")).to_be_visible()
    button(page, "Read the passage, 40 s").click()
    expect(page.get_by_text("what the rig adds, and its uncertainty")).to_be_visible(timeout=SLOW)
    assert number(page, "Remaining error") < 1.5
    button(page, "Confirm tone").click()
    expect(page.get_by_role("heading", name="Steady", exact=True)).to_be_visible()
    expect(page.get_by_role("heading", name="Normal peaks")).to_be_visible()
    assert -19.0 <= number(page, "Loudness") <= -17.0
    button(page, "Confirm steady").click()
    step(page, "Clean")
    button(page, "Confirm clean").click()
    step(page, "Send")

    button(page, "Start live").click()
    button(page, "Send the marker").click()
    expect(page.get_by_text("Raw voice arrives")).to_be_visible(timeout=SLOW)
    expect(
        page.get_by_text("In Editor call, choose “Wren: call” as the microphone.").first
    ).to_be_visible()
    page.get_by_label("chooses").first.select_option("Wren: call")
    send_until_it_arrives(page)
    leaf(page, "Recorder")
    button(page, "Record").click()
    seconds_recorded(page, 1)
    button(page, "Stop recording").click()
    expect(page.get_by_role("link", name="Download")).to_have_count(2, timeout=SLOW)
    button(page, "Confirm send").click()
    expect(page.get_by_text("7 of 8 confirmed")).to_be_visible()
    step(page, "Send")
    button(page, "Stop live").click()
    expect(page.get_by_text("Not live").first).to_be_visible()


def test_the_demo_is_ready_to_send_and_everything_is_kept_over_a_reload(
    start, browse, boathouse_data
):
    page = browse(start("--fast", data=boathouse_data))
    expect(page.get_by_text("6 of 8 confirmed")).to_be_visible()
    expect(page.get_by_role("heading", name="Send", exact=True)).to_be_visible()
    step(page, "Tone")
    page.locator(".setting .head").first.click()
    name = page.locator(".setting.active .name").inner_text()
    shown = page.locator(".setting.active .head .num")
    before = shown.inner_text()
    page.get_by_role("button", name=f"Lower {name}").click()
    expect(page.locator(".setting.active .pinned")).to_be_visible()
    expect(shown).not_to_have_text(before)
    after = shown.inner_text()
    page.get_by_role("region", name="Settings").get_by_role("button", name="Recalculate").click()
    expect(
        page.locator(".setting", has=page.locator(".pinned")).locator(".head .num")
    ).to_have_text(after)
    page.reload()
    step(page, "Tone")
    expect(
        page.locator(".setting", has=page.locator(".pinned")).locator(".head .num")
    ).to_have_text(after, timeout=SLOW)


def test_from_the_demo_to_a_proof(start, browse, boathouse_data):
    page = browse(start(data=boathouse_data))
    for name in ("Clean", "Tone", "Steady"):
        step(page, name)
        expect(page.get_by_role("heading", name="Outdated")).to_have_count(0)
        # Nothing on the slip is a fault: the boathouse lands inside all its aims.
        slip = page.get_by_role("region", name="Settings")
        expect(slip.get_by_role("img").first).to_be_visible()
        expect(slip.get_by_role("img", name="fault", exact=True)).to_have_count(0)
    step(page, "Send")
    expect(page.get_by_text("No marker was sent yet")).to_have_count(2)
    button(page, "Start live").click()
    expect(page.get_by_text("48 kHz throughout")).to_be_visible()
    page.get_by_label("chooses").first.select_option("Wren: call")
    send_until_it_arrives(page, press=lambda: page.keyboard.press("m"))
    expect(page.locator(".live .num")).to_have_text(re.compile(r"−\d+\.\d dBFS"), timeout=SLOW)
    page.get_by_role("region", name="Editor call").get_by_role(
        "button", name="Hear what it hears"
    ).click()
    expect(button(page, "Stop")).to_be_visible(timeout=SLOW)
    button(page, "Confirm send").click()
    expect(page.get_by_text("7 of 8 confirmed")).to_be_visible()


def test_the_keys(start, browse, boathouse_data):
    page = browse(start("--fast", data=boathouse_data))
    page.keyboard.press("2")
    expect(page.get_by_role("heading", name="Quiet", exact=True)).to_be_visible()
    page.keyboard.press("5")
    page.locator(".setting .head").first.focus()
    page.keyboard.press("Enter")
    shown = page.locator(".setting.active .head .num")
    before = shown.inner_text()
    page.keyboard.press("[")
    expect(shown).not_to_have_text(before)
    page.keyboard.press("p")
    expect(page.locator(".pinned")).to_have_count(0)
    expect(shown).to_have_text(before)
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog")).not_to_be_visible()
    page.keyboard.press("l")
    expect(button(page, "Match loudness")).to_have_attribute("aria-pressed", "false")
    page.keyboard.press("f")
    expect(page.get_by_role("button", name="Stop", exact=True)).to_be_visible(timeout=SLOW)
    page.get_by_role("heading", name="Tone", exact=True).click()
    page.keyboard.press("Space")
    expect(button(page, "Hear treated")).to_be_visible()


def test_one_short_take_at_the_pace_of_real_time(start, browse):
    page = browse(start())
    page.get_by_text("The simulated boathouse").click()
    step(page, "Quiet")
    page.keyboard.press("t")
    timer = page.get_by_role("timer")
    expect(timer).to_have_text(re.compile(r"^\d+ s left"), timeout=SLOW)
    seconds_taken(page, 5)
    expect(page.get_by_role("img", name="Level of the take")).to_be_visible()
    button(page, "Stop the take").click()
    expect(page.get_by_text(re.compile(r"Steady over \d+ s"))).to_be_visible(timeout=SLOW)


def test_the_dark_theme_can_be_forced_and_stays(start, browse, boathouse_data):
    page = browse(start(data=boathouse_data))
    page.get_by_label("Theme").select_option("dark")
    expect(page.locator("html")).to_have_attribute("data-theme", "dark")
    page.reload()
    expect(page.locator("html")).to_have_attribute("data-theme", "dark")


@pytest.mark.parametrize("width, height", [(1024, 720), (1280, 800), (1920, 1080)])
def test_nothing_runs_out_of_the_window(start, browse, boathouse_data, width, height):
    page = browse(start(data=boathouse_data))
    page.set_viewport_size({"width": width, "height": height})
    for name in ("Rig", "Quiet", "Gain", "Clean", "Tone", "Steady", "Send"):
        step(page, name)
        for tab in page.get_by_role("tab").all() or [None]:
            if tab is not None:
                tab.click()
            wide = page.evaluate(
                "[...document.querySelectorAll('button, h2, h3, label, .num')].filter(e =>"
                " e.offsetParent && !e.closest('.hidden-text, .chips')).map(e => [e.innerText,"
                " e.getBoundingClientRect().right]).filter(([, right]) => right > innerWidth + 1)"
            )
            assert wide == []
            assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
