"""Knobs under the hand: touch a setting, turn a knob; nothing jumps; a pad mutes."""

import re

from handling import SLOW, button, leaf, step
from playwright.sync_api import expect


def turn(page, knob, value):
    page.get_by_role("slider", name=f"Knob {knob}").fill(str(value))


def test_a_knob_takes_hold_of_the_touched_setting_where_it_meets_it(start, browse, boathouse_data):
    page = browse(start("--fast", data=boathouse_data))
    step(page, "Rig")
    leaf(page, "Controllers")
    button(page, "Assign it").click()
    expect(button(page, "Stop learning").first).to_be_visible()
    step(page, "Steady")
    leaf(page, "Compressor")
    ratio = page.locator(".setting", has_text="Ratio").first
    ratio.locator(".head").click()
    shown = ratio.locator(".head .num")
    stood = shown.inner_text()
    expect(page.get_by_text("Now turn the knob you want to assign.")).to_be_visible()
    step(page, "Rig")
    turn(page, 2, 5)
    row = page.get_by_role("row", name=re.compile("Simulated controller, control 21, channel 1"))
    expect(row.get_by_text("Compressor: ratio")).to_be_visible(timeout=SLOW)
    # Far from where the setting stands the knob turns nothing.
    turn(page, 2, 4)
    expect(page.get_by_text("turn on until the knob reaches the setting")).to_be_visible()
    step(page, "Steady")
    expect(shown).to_have_text(stood)
    step(page, "Rig")
    turn(page, 2, 120)
    expect(page.get_by_text("turn on until the knob reaches the setting")).to_have_count(0)
    step(page, "Steady")
    expect(shown).not_to_have_text(stood, timeout=SLOW)
    expect(ratio.get_by_text("pinned")).to_be_visible()
    step(page, "Rig")
    page.get_by_label("A knob or pad").select_option(label="mutes every feed")
    button(page, "Assign it").click()
    pad = button(page, "Pad 1")
    pad.focus()
    page.keyboard.press("Enter")
    expect(page.get_by_role("cell", name="Mute every feed")).to_be_visible(timeout=SLOW)
    page.keyboard.press("Enter")
    expect(button(page, "Mute")).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("u")
    expect(button(page, "Mute")).to_have_attribute("aria-pressed", "false")
    with page.expect_download() as saved:
        page.get_by_role("link", name="Save as a file").click()
    assert '"obsidian-wren/controllers"' in saved.value.path().read_text("utf-8")


def test_a_sentence_is_recorded_and_heard_raw_then_treated_by_two_keys(
    start, browse, boathouse_data
):
    page = browse(start("--fast", data=boathouse_data))
    step(page, "Rig")
    page.keyboard.press("t")
    raw, treated = button(page, "Hear raw"), button(page, "Hear treated")
    expect(raw).to_be_visible(timeout=SLOW)
    page.keyboard.press(" ")
    expect(button(page, "Stop")).to_be_visible(timeout=SLOW)
    expect(treated).to_be_visible()
    # It goes on by itself: treated comes after raw.
    expect(raw).to_be_visible(timeout=SLOW)
    expect(button(page, "Stop")).to_have_attribute("aria-pressed", "true")
    page.keyboard.press(" ")
    expect(button(page, "Stop")).to_have_count(0)
