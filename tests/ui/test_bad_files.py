"""Bad files in the page: each gets its sentence, and the page goes on."""

import pytest
from handling import SLOW, step
from playwright.sync_api import expect

from bad_sounds import BAD_FILES, make

STEP = {"rest": "Quiet", "talk": "Gain"}


@pytest.fixture
def page(start, browse):
    opened = browse(start())
    opened.get_by_text("Files", exact=True).click()
    step(opened, "Quiet")
    expect(opened.get_by_role("button", name="Choose a file for the room")).to_be_visible()
    return opened


def test_each_bad_file_gets_its_sentence(page, tmp_path):
    for kind, purpose, _, says in BAD_FILES:
        if kind in ("too-large", "too-long"):
            continue
        step(page, STEP[purpose])
        page.get_by_label("Sound file").set_input_files(make(kind, tmp_path))
        expect(page.get_by_role("alert")).to_contain_text(says, timeout=SLOW)
        page.get_by_role("button", name="Understood").click()
    assert page.locator(".chip").count() == 0


def test_a_dead_channel_can_be_chosen_away_from(page, tmp_path):
    step(page, "Quiet")
    page.get_by_label("channel").select_option("1")
    page.get_by_label("Sound file").set_input_files(make("dead-channel", tmp_path))
    expect(page.get_by_role("alert")).to_contain_text("Choose channel 2", timeout=SLOW)
    page.get_by_label("channel").select_option("2")
    page.get_by_label("Sound file").set_input_files(make("dead-channel", tmp_path))
    expect(page.get_by_role("heading", name="Room at rest")).to_be_visible(timeout=SLOW)


def test_a_file_over_two_gigabytes_is_not_even_sent(page):
    step(page, "Quiet")
    page.evaluate("""() => {
            const input = document.querySelector('input[type=file]');
            const file = new File(['x'], 'hours.wav');
            Object.defineProperty(file, 'size', { value: 3 * 1024 ** 3 });
            Object.defineProperty(input, 'files', { value: [file] });
            input.dispatchEvent(new Event('change', { bubbles: true }));
        }""")
    expect(page.get_by_role("alert")).to_contain_text("hours.wav is over 2 GB")
