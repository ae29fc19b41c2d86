"""Send with real clicks: the common cases, wrong routes refused, programs set wrong and mended,
clips, the recorder."""

import re

import pytest
from handling import SLOW, button, leaf, seconds_recorded, send_until_it_arrives, step
from playwright.sync_api import expect

LISTENERS = {
    "A call": ["Editor call", "Headphones"],
    "A game night": ["Crew game chat", "Headphones"],
    "Recording a talk with someone on a call": ["Editor call", "Walk recorder", "Headphones"],
    "Everything at once": [
        "Editor call",
        "Crew game chat",
        "River stream",
        "Walk recorder",
        "Headphones",
        "Deck computer",
    ],
}

MOST_WITH_PICTURES = 3


@pytest.fixture
def send(start, browse, boathouse_data):
    page = browse(start(data=boathouse_data))
    step(page, "Send")
    expect(page.get_by_text("its target").first).to_be_visible(timeout=SLOW)
    return page


def region(page, name):
    return page.get_by_role("region", name=name, exact=True)


def set_up(page, case):
    page.get_by_label("Set up").select_option(label=case)
    expect(page.get_by_text(re.compile(rf"In use: {', '.join(LISTENERS[case])};"))).to_be_visible(
        timeout=SLOW
    )


def test_each_common_case_takes_one_choice_and_shows_what_it_did(send):
    page = send
    for case, names in LISTENERS.items():
        set_up(page, case)
        evidence = region(page, "Evidence")
        for name in names:
            expect(region(evidence, name)).to_be_visible()
        if len(names) > MOST_WITH_PICTURES:
            # So many show only what is not well.
            expect(page.locator("main")).to_have_attribute("aria-busy", "false", timeout=SLOW)
            expect(evidence.get_by_text(re.compile("Predicted at"))).to_have_count(0)
            continue
        expect(evidence.get_by_role("img", name=re.compile("Target −"))).to_have_count(len(names))
        # One choice derives every mix, and each lands in its aim.
        expect(
            evidence.get_by_text(re.compile(r"Predicted at −\d+\.\d LUFS, its target"))
        ).to_have_count(len(names), timeout=SLOW)
    expect(
        page.get_by_text("In Crew game chat, choose “Wren: game” as the microphone.").first
    ).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_label("Set up").locator("option:checked")).to_have_text(
        "Recording a talk with someone on a call"
    )


def test_a_call_is_set_up_proved_and_confirmed(send):
    page = send
    set_up(page, "A call")
    button(page, "Start live").click()
    call = region(page, "Editor call")
    call.get_by_label("chooses").select_option("Wren: call")
    send_until_it_arrives(page, call)
    expect(
        region(page, "Headphones").get_by_text("Your voice stays out, as it should")
    ).to_be_visible()
    expect(page.get_by_text("1 of 1 listener gets what is meant")).to_be_visible()
    leaf(page, "Delay and load")
    expect(page.get_by_role("img", name="Delay of each path")).to_be_visible()
    expect(page.get_by_text(re.compile(r"\d+ audible gaps?"))).to_be_visible()
    button(page, "Confirm send").click()
    expect(page.get_by_text(re.compile(r"\d of 8 confirmed"))).to_be_visible()


def test_a_loop_is_refused_with_the_path_named_and_a_good_route_taken(send):
    page = send
    set_up(page, "Everything at once")
    slip = region(page, "Settings")
    slip.get_by_role("button", name="Send it: Computer sound").click()
    expect(page.get_by_role("alert")).to_contain_text("That would be a loop: ")
    expect(page.get_by_role("alert")).to_contain_text("Computer sound → Editor call")
    page.get_by_role("button", name="Understood").click()
    slip.get_by_role("button", name="Send it: The editor").click()
    expect(page.get_by_role("alert")).to_contain_text("a listener never gets its own return")
    page.get_by_role("button", name="Understood").click()
    slip.get_by_role("button", name="Send it: Music").click()
    expect(slip.get_by_role("button", name="Keep out: Music")).to_be_visible(timeout=SLOW)
    (
        slip.get_by_role("button", name="Back to the automatic mix").click()
        if slip.get_by_role("button", name="Back to the automatic mix").count()
        else slip.get_by_role("button", name="Keep out: Music").click()
    )
    expect(slip.get_by_role("button", name="Send it: Music")).to_be_visible(timeout=SLOW)


def test_a_program_set_wrong_is_caught_in_silence_and_by_sound_and_mended(send):
    page = send
    set_up(page, "A call")
    call = region(page, "Editor call")
    call.get_by_label("chooses").select_option("Wren: call")
    leaf(page, "Programs")
    page.get_by_label("Noise removal").check()
    page.get_by_label("Lets you hear yourself").check()
    leaf(page, "Listeners")
    expect(call.get_by_text("Its own noise removal is on")).to_be_visible()
    expect(call.get_by_text("Lets you hear yourself, with delay")).to_be_visible()
    button(page, "Start live").click()
    cleaned = call.get_by_text("Something cleans the voice a second time")
    proofs = re.compile(r"voice arrives, \d+ ms|Sends your voice back")
    # Told as soon as enough was said since it is live.
    for _ in range(20):
        button(page, "Send the marker").click()
        expect(button(page, "Send the marker")).to_be_enabled()
        expect(call.get_by_text(proofs).first).to_be_visible()
        if cleaned.count():
            break
        page.wait_for_timeout(1000)
    expect(cleaned).to_be_visible()
    expect(
        call.get_by_text(re.compile(r"Sends your voice back to you, \d+ ms later"))
    ).to_be_visible()
    leaf(page, "Programs")
    page.get_by_label("Noise removal").uncheck()
    page.get_by_label("Lets you hear yourself").uncheck()
    leaf(page, "Listeners")
    button(page, "Send the marker").click()
    expect(call.get_by_text("Something cleans the voice a second time")).to_be_hidden(timeout=SLOW)
    expect(page.get_by_text("1 of 1 listener gets what is meant")).to_be_visible(timeout=SLOW)


def test_clips_and_the_recorder(send, tmp_path):
    page = send
    set_up(page, "Recording a talk with someone on a call")
    button(page, "Start live").click()
    leaf(page, "Other sources")
    expect(page.get_by_role("button", name="Bell")).to_be_enabled(timeout=SLOW)
    page.get_by_role("button", name="Change").first.click()
    end, picture = (
        page.get_by_role("slider", name="End"),
        page.get_by_role("group", name="The sound of Bell").bounding_box(),
    )
    whole = float(end.get_attribute("aria-valuenow"))
    page.mouse.move(picture["x"] + picture["width"] - 1, picture["y"] + 20)
    page.mouse.down()
    page.mouse.move(picture["x"] + 0.4 * picture["width"], picture["y"] + 20, steps=5)
    page.mouse.up()
    expect(page.get_by_text(re.compile(rf"^{0.4 * whole:.1f} s, −\d+\.\d LUFS"))).to_be_visible(
        timeout=SLOW
    )
    end.press("PageDown")
    end.press("Enter")
    expect(
        page.get_by_text(re.compile(rf"^{0.4 * whole - 0.1:.1f} s, −\d+\.\d LUFS"))
    ).to_be_visible(timeout=SLOW)
    button(page, "Hear it").click()
    expect(button(page, "Stop")).to_be_visible()
    leaf(page, "Recorder")
    page.get_by_label("called").fill("Ferry walk")
    button(page, "Record").click()
    page.keyboard.press("Shift+Digit1")
    seconds_recorded(page, 1)
    button(page, "New file here").click()
    expect(page.get_by_text("Recording, file 2")).to_be_visible()
    seconds_recorded(page, 1)
    button(page, "Stop recording").click()
    evidence = region(page, "Evidence")
    expect(evidence.get_by_role("link", name="Download")).to_have_count(6, timeout=SLOW)
    with page.expect_download() as got:
        evidence.get_by_role("link", name="Download").last.click()
    assert re.fullmatch(
        r"\d{4}-\d\d-\d\d Ferry walk treated voice\.flac", got.value.suggested_filename
    )
    evidence.get_by_role("button", name="Rename").first.click()
    page.get_by_label("Name of the recording").fill("Low water")
    page.get_by_label("Name of the recording").press("Enter")
    expect(evidence.get_by_text("Low water").first).to_be_visible()
    evidence.get_by_role("button", name="Delete").first.click()
    expect(evidence.get_by_role("link", name="Download")).to_have_count(5)
    page.get_by_role("button", name="Undo").click()
    expect(evidence.get_by_role("link", name="Download")).to_have_count(6)
