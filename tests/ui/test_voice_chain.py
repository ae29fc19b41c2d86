"""Clean, Tone and Steady by hand: edges, pins, order, switches, taste, and hearing without a
gap."""

import re

import pytest
from handling import SLOW, button, leaf, number, step
from playwright.sync_api import expect

# What plays goes round and round: how long it lasts is nothing to these tests.
PLAY_ON = """
    const begin = AudioBufferSourceNode.prototype.start;
    AudioBufferSourceNode.prototype.start = function (...when) {
        this.loop = true;
        return begin.apply(this, when);
    };
"""


@pytest.fixture
def page(start, browse, boathouse_data):
    return browse(start("--fast", data=boathouse_data), init=PLAY_ON)


def block(page, name):
    return page.get_by_role("region", name=name, exact=True)


def setting(page, name):
    return page.locator(".setting", has=page.get_by_text(name, exact=True)).locator(".head .num")


def test_the_gate_is_derived_from_two_distributions_and_its_edges_can_be_moved(page):
    step(page, "Clean")
    expect(page.get_by_text("Off: at the listener your noise floor")).to_be_visible()
    button(page, "Record the room in use, 20 s").click()
    expect(
        page.get_by_text(
            re.compile(r"(A gate|An expander): at the listener your noise floor in use")
        )
    ).to_be_visible(timeout=SLOW)
    told = page.locator(".told")
    expect(told).to_contain_text("0 beginnings and 0 ends clipped")
    edge = page.get_by_role("slider", name="Gate opens at")
    derived = float(edge.get_attribute("aria-valuenow"))
    edge.focus()
    for _ in range(8):
        page.keyboard.press("PageUp")
    expect(told).not_to_contain_text("0 beginnings and 0 ends clipped", timeout=SLOW)
    page.keyboard.press("Enter")
    expect(setting(page, "Gate threshold")).to_have_text(
        f"−{-(derived + 24):.1f} dBFS", timeout=SLOW
    )
    expect(block(page, "Gate").locator(".setting .pinned").first).to_be_visible()
    button(page, "Undo").click()
    expect(setting(page, "Gate threshold")).to_have_text(f"−{-derived:.1f} dBFS", timeout=SLOW)
    box = edge.bounding_box()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 40)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] / 2 + 60, box["y"] + 40, steps=6)
    # Escape gives it up, whatever the hand does then.
    expect(edge).not_to_have_attribute("aria-valuenow", f"{derived:g}")
    page.keyboard.press("Escape")
    expect(edge).to_have_attribute("aria-valuenow", f"{derived:g}")
    page.mouse.up()
    expect(setting(page, "Gate threshold")).to_have_text(f"−{-derived:.1f} dBFS")
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 40)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] / 2 + 60, box["y"] + 40, steps=6)
    page.mouse.up()
    expect(setting(page, "Gate threshold")).not_to_have_text(f"−{-derived:.1f} dBFS", timeout=SLOW)


def test_words_can_be_weighed_against_the_room(page):
    step(page, "Clean")
    button(page, "Record the room in use, 20 s").click()
    expect(setting(page, "Gate threshold")).to_be_visible(timeout=SLOW)
    before = float(page.get_by_role("slider", name="Gate opens at").get_attribute("aria-valuenow"))
    weigh = page.get_by_role("slider", name="Weight of a clipped word against leaked noise")
    weigh.fill("20")
    expect(page.get_by_text("20 : 80", exact=True)).to_be_visible(timeout=SLOW)
    assert (
        float(page.get_by_role("slider", name="Gate opens at").get_attribute("aria-valuenow"))
        > before
    )


def test_a_clap_tells_how_the_room_rings(page):
    step(page, "Clean")
    leaf(page, "Room reverb")
    button(page, "Record a clap, 6 s").click()
    expect(page.get_by_text("measured with a clap (ISO 3382)")).to_be_visible(timeout=SLOW)
    assert 0.1 < number(page, "Reverb decay (RT60)") < 0.8


def test_a_stage_is_switched_off_and_on_while_it_is_heard(page):
    step(page, "Steady")
    leaf(page, "Compressor")
    button(page, "Hear treated").click()
    expect(button(page, "Stop")).to_be_visible(timeout=SLOW)
    block(page, "Compressor").get_by_role("button", name="Switch off", exact=True).click()
    expect(block(page, "Compressor").get_by_text("pinned")).to_be_visible(timeout=SLOW)
    expect(block(page, "Compressor").locator(".state")).to_have_text("off")
    # It plays on: nothing was stopped for it.
    expect(button(page, "Stop")).to_be_visible()
    block(page, "Compressor").get_by_role("button", name="Automatic: on", exact=True).click()
    expect(block(page, "Compressor").locator(".state")).to_have_text("on", timeout=SLOW)
    without = block(page, "Compressor").get_by_role("button", name="Hear without it", exact=True)
    without.click()
    expect(
        block(page, "Compressor").get_by_role("button", name="Hear with it", exact=True)
    ).to_have_attribute("aria-pressed", "true")
    expect(button(page, "Stop")).to_be_visible()
    button(page, "Stop").click()
    expect(button(page, "Hear treated")).to_be_visible()


def test_a_setting_is_pinned_and_what_follows_is_derived_from_it(page):
    step(page, "Steady")
    leaf(page, "Compressor")
    ratio = setting(page, "Ratio")
    before, makeup = ratio.inner_text(), setting(page, "Make-up gain").inner_text()
    page.locator(".setting .head", has=page.get_by_text("Ratio", exact=True)).click()
    for _ in range(10):
        button(page, "Raise Ratio").click()
    expect(ratio).not_to_have_text(before, timeout=SLOW)
    expect(page.get_by_text(f"Automatic: {before}")).to_be_visible(timeout=SLOW)
    expect(setting(page, "Make-up gain")).not_to_have_text(makeup, timeout=SLOW)
    button(page, "Back to automatic").click()
    expect(ratio).to_have_text(before, timeout=SLOW)
    expect(setting(page, "Make-up gain")).to_have_text(makeup, timeout=SLOW)


def test_an_order_that_defeats_a_stage_says_so_and_can_be_taken_back(page):
    step(page, "Steady")
    leaf(page, "Order")
    button(page, "Move Limiter earlier").click()
    row = page.get_by_role("listitem").filter(has=page.get_by_text("Limiter", exact=True))
    expect(row).to_contain_text("The limiter is not last", timeout=SLOW)
    button(page, "Default sequence").click()
    expect(row).not_to_contain_text("The limiter is not last", timeout=SLOW)
    expect(page.get_by_role("listitem").last).to_contain_text("Limiter")


def test_a_further_stage_is_added_moved_and_taken_back(page):
    step(page, "Steady")
    leaf(page, "Order")
    stations = page.get_by_role("listitem")
    first = stations.count()
    page.get_by_label("Add a further").select_option(label="gate")
    row = stations.filter(has=page.get_by_text("Gate 2", exact=True))
    expect(row).to_be_visible(timeout=SLOW)
    expect(stations).to_have_count(first + 1)
    place = row.evaluate("row => [...row.parentElement.children].indexOf(row)")
    button(page, "Move Gate 2 later").click()
    expect(stations.nth(place + 1)).to_contain_text("Gate 2", timeout=SLOW)
    step(page, "Clean")
    expect(block(page, "Gate 2")).to_be_visible(timeout=SLOW)
    for _ in range(2):
        button(page, "Undo").click()
    expect(block(page, "Gate 2")).to_have_count(0, timeout=SLOW)


def test_taste_bends_the_corridor_and_a_target_is_imported(page, tmp_path):
    step(page, "Tone")
    leaf(page, "Target and taste")
    before = number(page, "Remaining error")
    page.get_by_role("slider", name="Air").fill("4")
    expect(page.get_by_text("+4.0 dB", exact=True)).to_be_visible(timeout=SLOW)
    leaf(page, "What the rig adds")
    expect(
        page.locator(".setting", has=page.get_by_text(re.compile("Sibilance|Presence|Air"))).first
    ).to_be_visible(timeout=SLOW)
    button(page, "Undo").click()
    leaf(page, "Target and taste")
    expect(page.get_by_text("+4.0 dB", exact=True)).to_have_count(0, timeout=SLOW)
    assert number(page, "Remaining error") == pytest.approx(before, abs=0.11)
    target = tmp_path / "evening.txt"
    target.write_text("# Hz\tdB\n100\t55\n500\t62\n2000\t50\n8000\t44\n16000\t40\n")
    page.get_by_label("Target file").set_input_files(target)
    expect(page.get_by_role("combobox", name="Target")).to_have_value(
        re.compile("imported/"), timeout=SLOW
    )
    bad = tmp_path / "bad.txt"
    bad.write_text("100 1\n200 loud\n")
    page.get_by_label("Target file").set_input_files(bad)
    expect(page.get_by_role("alert")).to_contain_text("line 2", timeout=SLOW)


def test_the_voice_is_shaped_only_where_a_person_says_so(page):
    step(page, "Tone")
    leaf(page, "Target and taste")
    expect(page.get_by_role("radio", name="Correct the rig")).to_be_checked()
    strength = page.get_by_label("How far the voice is shaped, percent")
    expect(strength).to_have_count(0)
    page.get_by_role("radio", name="Shape the voice").check()
    expect(strength).to_have_value("100", timeout=SLOW)
    leaf(page, "What the rig adds")
    bands = page.locator(".setting", has=page.get_by_text(re.compile(r"Hz .* dB Q")))
    expect(bands.nth(2)).to_be_visible(timeout=SLOW)
    leaf(page, "Target and taste")
    page.get_by_role("radio", name="Correct the rig").check()
    expect(strength).to_have_count(0, timeout=SLOW)
    leaf(page, "What the rig adds")
    expect(page.get_by_role("heading", name="What is known, and from what")).to_be_visible()
    expect(page.locator(".fact", has=page.get_by_text("Microphone file"))).to_contain_text("±")


def test_parts_are_heard_alone_and_the_probe_slides(page):
    step(page, "Tone")
    leaf(page, "Listen to parts")
    button(page, "Low under 300 Hz").click()
    expect(button(page, "Stop")).to_be_visible(timeout=SLOW)
    expect(button(page, "Low under 300 Hz")).to_have_attribute("aria-pressed", "true")
    probe = page.get_by_role("slider", name="Probe")
    probe.focus()
    page.keyboard.press("PageUp")
    page.keyboard.press("PageUp")
    expect(page.get_by_text("+12 dB at 1.4 kHz")).to_be_visible()
    button(page, "All of it").click()
    expect(page.get_by_text("+12 dB at")).to_have_count(0)


def test_the_voice_is_heard_live_raw_and_treated_and_without_a_stage(page):
    step(page, "Steady")
    leaf(page, "Compressor")
    button(page, "Hear live").click()
    told = page.get_by_role("status").filter(has_text="Headphones only")
    expect(told).to_contain_text(re.compile(r"\d+ ms behind you"), timeout=SLOW)
    assert int(re.search(r"(\d+) ms", told.inner_text()).group(1)) > 50
    button(page, "Hear treated").click()
    expect(button(page, "Hear treated")).to_have_attribute("aria-pressed", "true")
    with page.expect_request("**/api/live/without") as asked:
        page.get_by_role("region", name="Compressor", exact=True).get_by_role(
            "button", name=re.compile("Hear without it")
        ).click()
    assert asked.value.post_data_json == {"off": "compressor"}
    expect(button(page, "Headphones off")).to_be_visible()
    page.keyboard.press("f")
    expect(button(page, "Hear raw")).to_have_attribute("aria-pressed", "true")
    button(page, "Headphones off").click()
    expect(button(page, "Hear live")).to_be_visible()
    expect(told).to_be_hidden()
