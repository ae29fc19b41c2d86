"""Each picture can be had as numbers and as a file, and what happens is told to whoever does not
see it."""

import csv
import io

import pytest
from handling import SLOW
from playwright.sync_api import expect


@pytest.fixture
def page(looked_at, browse):
    return browse(looked_at)


@pytest.fixture
def own_page(start, browse, boathouse_data):
    return browse(start("--fast", data=boathouse_data))


def go(page, address):
    page.evaluate(f"location.hash = '{address}'")


def test_a_picture_is_a_table_and_a_file_of_its_numbers(page):
    go(page, "#quiet/rest")
    expect(page.get_by_role("heading", name="Quiet", exact=True)).to_be_visible()
    bands = page.evaluate("fetch('/api/state').then((answer) => answer.json())")["quiet"][
        "third_octaves"
    ]
    opener = page.get_by_role("tabpanel").get_by_text("Numbers, files")
    opener.focus()
    opener.press("Enter")
    page.get_by_role("tabpanel").get_by_role("button", name="Numbers").press("Enter")
    table = page.get_by_role("dialog", name="Numbers").get_by_role("table")
    expect(table.get_by_role("columnheader")).to_have_text(["third octave, Hz", "level, dBFS"])
    expect(table.get_by_role("row")).to_have_count(1 + len(bands))
    expect(table.get_by_role("row").nth(1).get_by_role("cell").first).to_have_text(
        f"{bands[0]['centre_hz']:g}"
    )
    with page.expect_download() as saved:
        page.get_by_role("button", name="Save as CSV").click()
    assert saved.value.suggested_filename.endswith(".csv")
    rows = list(csv.reader(io.StringIO(saved.value.path().read_text())))[1:]
    assert [(float(hz), float(db)) for hz, db in rows] == [
        (band["centre_hz"], band["level_dbfs"]) for band in bands
    ]
    page.keyboard.press("Escape")
    expect(opener).to_be_focused()


def test_a_picture_is_saved_as_svg_that_stands_alone(page):
    go(page, "#quiet/rest")
    page.get_by_role("tabpanel").get_by_text("Numbers, files").click()
    button = page.get_by_role("tabpanel").get_by_role("button", name="as SVG")
    with page.expect_download() as saved:
        button.press("Enter")
    drawn = saved.value.path().read_text()
    assert drawn.startswith("<svg")
    assert 'xmlns="http://www.w3.org/2000/svg"' in drawn
    assert "class=" not in drawn


def test_every_leaf_with_a_picture_has_its_numbers(page):
    for address in ADDRESSES:
        go(page, address)
        expect(page.locator(f"#leaf-{address.partition('/')[2]}")).to_have_attribute(
            "aria-selected", "true"
        )
        numbers = page.get_by_role("tabpanel").get_by_text("Numbers", exact=True)
        expect(numbers.first, address).to_be_attached()


def rig_of(page):
    return page.evaluate("fetch('/api/state').then((answer) => answer.json())")["rig"]


def test_the_mouth_is_moved_by_keys_and_escape_gives_up(own_page):
    go(own_page, "#rig/room")
    mouth = own_page.get_by_role("slider", name="Mouth")
    before = rig_of(own_page)
    mouth.focus()
    mouth.press("ArrowUp")
    mouth.press("ArrowRight")
    told = f"{before['distance_cm'] + 1:g} cm, {before['angle_deg'] + 5:g}° off the axis"
    expect(mouth).to_have_attribute("aria-valuetext", told)
    mouth.press("Escape")
    expect(mouth).to_have_attribute("aria-valuenow", f"{before['distance_cm']:g}")
    assert rig_of(own_page)["distance_cm"] == before["distance_cm"]
    mouth.press("PageUp")
    mouth.press("Enter")
    field = own_page.get_by_label("Mouth to microphone, cm")
    expect(field).to_have_value(f"{before['distance_cm'] + 10:g}", timeout=SLOW)
    assert rig_of(own_page)["distance_cm"] == before["distance_cm"] + 10


def test_the_mouth_is_dragged(own_page):
    go(own_page, "#rig/room")
    mouth = own_page.get_by_role("slider", name="Mouth")
    before = rig_of(own_page)
    head = mouth.locator("circle").bounding_box()
    x, y = head["x"] + head["width"] / 2, head["y"] + head["height"] / 2
    own_page.mouse.move(x, y)
    own_page.mouse.down()
    own_page.mouse.move(x + 20, y - 30, steps=4)
    own_page.mouse.up()
    field = own_page.get_by_label("Mouth to microphone, cm")
    expect(field).not_to_have_value(f"{before['distance_cm']:g}", timeout=SLOW)
    assert rig_of(own_page)["distance_cm"] > before["distance_cm"]


def test_colour_shows_what_each_share_adds(own_page):
    go(own_page, "#steady/colour")
    picture = own_page.get_by_role("tabpanel").get_by_role("img")
    expect(picture).to_have_accessible_name(
        "What colour would add: a tone stays as it is; nothing comes after a click."
    )
    own_page.evaluate(
        """Promise.all([['echo', 50], ['harmonics', 40]].map(([name, value]) =>
          fetch('/api/settings', {method: 'PATCH', headers: {'Content-Type': 'application/json'},
            body: JSON.stringify({stage: 'colour', name, value, pinned: true})})))"""
    )
    expect(picture).to_have_accessible_name(
        "What colour would add: harmonics of a tone; after a click: falls by 60 dB in 0.72 s.",
        timeout=SLOW,
    )


ADDRESSES = (
    "#rig/outlook",
    "#rig/microphone",
    "#rig/room",
    "#quiet/rest",
    "#quiet/listen",
    "#gain/levels",
    "#clean/gate",
    "#clean/noise",
    "#tone/corridor",
    "#tone/hiss",
    "#steady/levels",
    "#steady/curve",
    "#steady/colour",
)


def test_what_happens_is_told_to_whoever_does_not_see_it(own_page):
    said = own_page.get_by_role("status", name="What happened")
    expect(said).to_be_empty()
    own_page.keyboard.press("u")
    expect(said).to_have_text("Muted.", timeout=SLOW)
    own_page.keyboard.press("u")
    expect(said).to_have_text("Not muted.", timeout=SLOW)
    go(own_page, "#quiet/rest")
    own_page.get_by_role("button", name="Record the room").click()
    expect(said).to_contain_text("The room: taken.", timeout=SLOW)


def test_a_wide_window_has_a_second_picture_beside_the_first(page):
    go(page, "#tone/corridor")
    expect(page.get_by_role("tabpanel")).to_be_visible()
    second = page.get_by_role("region", name="Compared with: Breath and hiss")
    expect(second).to_have_count(0)
    page.set_viewport_size({"width": 1920, "height": 1080})
    expect(second.get_by_role("img", name="sibilants")).to_be_visible()
    second.get_by_role("button", name="Breath and hiss").click()
    expect(page.get_by_role("tab", name="Breath and hiss")).to_have_attribute(
        "aria-selected", "true"
    )
    expect(page.get_by_role("region", name="Compared with: What the rig adds")).to_be_visible()


def test_a_key_that_is_chosen_anew_does_it_in_place_of_the_usual_one(own_page):
    said = own_page.get_by_role("status", name="What happened")
    own_page.keyboard.press("?")
    own_page.get_by_role("button", name="U: mute every feed").click()
    own_page.keyboard.press("5")
    expect(own_page.get_by_text("Choose a letter or a sign")).to_be_visible()
    own_page.keyboard.press("x")
    expect(own_page.get_by_role("button", name="X: mute every feed")).to_be_visible()
    own_page.get_by_role("button", name="Close").click()
    own_page.keyboard.press("u")
    own_page.keyboard.press("x")
    expect(said).to_have_text("Muted.", timeout=SLOW)
    own_page.reload()
    own_page.get_by_role("navigation", name="Steps").wait_for()
    own_page.keyboard.press("x")
    expect(said).to_have_text("Not muted.", timeout=SLOW)


def test_recalculating_shows_how_far_it_is(own_page):
    go(own_page, "#tone/corridor")
    own_page.evaluate(
        """() => { window.shares = []; new MutationObserver(() => {
          const bar = document.querySelector('header progress');
          if (bar) window.shares.push(bar.value);
        }).observe(document.body, {subtree: true, childList: true, attributes: true}) }"""
    )
    own_page.get_by_role("button", name="Recalculate").click()
    own_page.wait_for_function("() => Math.max(0, ...window.shares) > 0.5", timeout=SLOW)
    expect(own_page.locator("header progress")).to_have_count(0, timeout=SLOW)
    shares = own_page.evaluate("window.shares")
    assert shares == sorted(shares)
