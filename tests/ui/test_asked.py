"""What makes every later answer wrong is asked about in the page before it goes on."""

import soundfile
from handling import SLOW, button, step
from playwright.sync_api import expect

from signals import RATE, room, voice


def test_a_second_talker_is_asked_about_before_gain_is_confirmed(start, browse, tmp_path):
    page = browse(start())
    page.get_by_text("Files", exact=True).click()
    talk = voice("talk")
    other = voice("passage")
    other = 0.12 * other[: len(talk)]
    both = talk.copy()
    both[: len(other)] += other
    for name, file, sound in (
        ("Quiet", "room.flac", room(2e-4)),
        ("Gain", "talk.flac", both + room(2e-4, len(talk) / RATE, seed=3)),
    ):
        soundfile.write(tmp_path / file, sound, RATE, subtype="PCM_24")
        step(page, name)
        page.get_by_label("Sound file").set_input_files(tmp_path / file)
        expect(page.locator(".chip")).to_have_count(1, timeout=SLOW)
    told = page.get_by_text("Someone else talks under your voice").first
    expect(told).to_be_visible(timeout=SLOW)
    page.get_by_role("button", name="Confirm gain").click()
    expect(page.get_by_role("alert").filter(has_text="Confirm gain all the same?")).to_be_visible()
    button(page, "No").click()
    page.get_by_role("button", name="Confirm gain").click()
    button(page, "Confirm all the same").click()
    expect(page.get_by_role("heading", name="Clean", exact=True)).to_be_visible(timeout=SLOW)
