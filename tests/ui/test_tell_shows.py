"""What is told from outside shows in the page and in the browser's tab, which nobody looks at."""

import re

from playwright.sync_api import expect

from obsidian_wren.cli.tell import DONE, tell


def icon(page):
    return page.locator("link[rel=icon]").get_attribute("href")


def test_a_word_from_outside_shows_in_the_page_and_in_its_tab(
    start, browse, boathouse_data, tmp_path
):
    page = browse(start("--fast", data=boathouse_data))
    before = icon(page)

    def told(*words):
        assert tell(["--data", str(tmp_path / "data"), *words]) == DONE

    told("live", "on")
    expect(page).to_have_title(re.compile("^Live · .*Obsidian Wren"))
    live = icon(page)
    told("mute")
    expect(page).to_have_title(re.compile("^Muted · "))
    assert len({before, live, icon(page)}) == 3
    # Another tab is in front.
    page.evaluate(
        "Object.defineProperty(document, 'visibilityState', {value: 'hidden'});"
        "document.dispatchEvent(new Event('visibilitychange'))"
    )
    told("unmute")
    expect(page).to_have_title(re.compile("^Live · "))
    told("live", "off")
    expect(page).to_have_title(re.compile("^(?!Live|Muted|Trouble)"))
