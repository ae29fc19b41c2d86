"""Any window and any way of working: addresses, small windows, the focus, and what a machine can
check of WCAG 2.2 AA."""

import re
from pathlib import Path

import pytest
from playwright.sync_api import expect

FRONTEND = Path(__file__).parents[2] / "frontend"
AXE = FRONTEND / "node_modules" / "axe-core" / "axe.min.js"
STEPS = (FRONTEND / "src" / "lib" / "steps.ts").read_text()
RULES = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"]

# Words that their own box does not show whole and that cannot be scrolled to.
CUT_OFF = """() => {
  const cut = [];
  for (const each of document.querySelectorAll('body *')) {
    if (each.closest('svg, .hidden-text, dialog') || !each.clientWidth) continue;
    const words = [...each.childNodes].some((n) => n.nodeType === 3 && n.textContent.trim());
    const style = getComputedStyle(each);
    const hides = (over) => over === 'hidden' || over === 'clip';
    if (!words || each.tagName === 'OPTION' || each.tagName === 'SELECT') continue;
    if ((hides(style.overflowX) && each.scrollWidth > each.clientWidth + 1) ||
        (hides(style.overflowY) && each.scrollHeight > each.clientHeight + 1))
      cut.push(each.outerHTML.slice(0, 160));
    else if (each.tagName === 'BUTTON' && each.scrollWidth > each.clientWidth + 2)
      cut.push('button ' + each.outerHTML.slice(0, 160));
  }
  const boxes = [...document.querySelectorAll('header > *')].map((each) => {
    const words = document.createRange();
    words.selectNodeContents(each);
    return [each, words.getBoundingClientRect()];
  }).filter(([, box]) => box.width);
  for (const [i, [each, box]] of boxes.entries())
    if (boxes.slice(i + 1).some(([, next]) => next.top < box.bottom && box.top < next.bottom &&
        next.left < box.right - 1 && box.left < next.right - 1))
      cut.push('runs over its neighbour: ' + each.outerHTML.slice(0, 120));
  if (document.documentElement.scrollWidth > innerWidth) cut.push('the page scrolls sideways');
  return cut;
}"""


def leaves():
    """Every leaf's address, as the page's own table has them."""
    table = STEPS[: STEPS.index("export const PURPOSES_OF")]
    found = []
    for step, inside in re.findall(r"^  (\w+): \[(.*?)^  \],", table, re.M | re.S):
        found += [f"#{step}/{leaf}" for leaf in re.findall(r"name: '([\w-]+)'", inside)]
    assert len(found) > 30
    return found


def go(page, address):
    """To an address, as a link or Back would lead there."""
    page.evaluate("to => { location.hash = to }", address)
    leaf = address.partition("/")[2]
    if leaf:
        expect(page.locator(f"#leaf-{leaf}")).to_have_attribute("aria-selected", "true")
    else:
        expect(page.get_by_role("region", name="Calibrated")).to_be_visible()


@pytest.fixture
def page(looked_at, browse):
    return browse(looked_at)


@pytest.fixture
def own_page(start, browse, boathouse_data):
    return browse(start("--fast", data=boathouse_data))


def test_each_leaf_has_an_address_a_title_and_is_there_again_after_a_reload(page):
    go(page, "#tone/target")
    expect(page).to_have_title("Target and taste · Tone · Obsidian Wren")
    page.reload()
    expect(page.get_by_role("tab", name="Target and taste")).to_have_attribute(
        "aria-selected", "true"
    )
    page.get_by_role("tab", name="Breath and hiss").click()
    page.get_by_role("navigation", name="Steps").get_by_role("button", name="Gain").click()
    expect(page).to_have_title("Levels · Gain · Obsidian Wren")
    page.go_back()
    expect(page).to_have_title("Breath and hiss · Tone · Obsidian Wren")
    page.go_back()
    expect(page).to_have_title("Target and taste · Tone · Obsidian Wren")
    page.go_forward()
    expect(page).to_have_title("Breath and hiss · Tone · Obsidian Wren")


def test_an_address_that_leads_nowhere_leads_to_what_is_next(looked_at, browse):
    page = browse(looked_at + "#nowhere/at-all")
    expect(page).to_have_title(re.compile(".+ · .+ · Obsidian Wren"))


def test_tabs_follow_the_pattern(page):
    go(page, "#clean/gate")
    tabs = page.get_by_role("tablist").get_by_role("tab")
    tabs.first.focus()
    page.keyboard.press("End")
    expect(tabs.last).to_be_focused()
    page.keyboard.press("ArrowRight")
    expect(tabs.first).to_be_focused()
    page.keyboard.press("ArrowLeft")
    page.keyboard.press("Home")
    expect(tabs.first).to_be_focused()
    panel = page.get_by_role("tabpanel")
    expect(panel).to_have_attribute("aria-labelledby", tabs.first.get_attribute("id"))
    assert tabs.first.get_attribute("aria-controls") == panel.get_attribute("id")


@pytest.mark.parametrize(("width", "height"), [(360, 640), (640, 400), (320, 256)])
def test_a_small_window_is_one_column_and_everything_can_be_reached(page, width, height):
    page.set_viewport_size({"width": width, "height": height})
    wide = []
    for address in [*leaves(), "#now"]:
        go(page, address)
        if page.evaluate("document.documentElement.scrollWidth") > width:
            wide.append(address)
    assert wide == []
    go(page, "#gain/levels")
    confirm = page.get_by_role("button", name="Confirm gain")
    confirm.focus()
    box, foot = confirm.bounding_box(), page.locator("footer").bounding_box()
    assert box["y"] >= 0
    assert box["y"] + box["height"] <= foot["y"]
    # What the foot has no room for is a press away.
    more = page.get_by_role("button", name="More")
    expect(page.get_by_role("button", name="Match loudness")).to_have_count(0)
    more.click()
    page.get_by_role("button", name="Match loudness").click()
    page.get_by_role("button", name="Less").click()


def focused(page):
    return page.evaluate(
        "document.activeElement.getAttribute('aria-label') || document.activeElement.textContent"
    )


def on_body(page):
    return page.evaluate("document.activeElement === document.body")


def test_the_focus_is_never_lost(own_page):
    go(own_page, "#steady/curve")
    stage = own_page.get_by_role("region", name="Compressor", exact=True)
    switch = stage.get_by_role("button", name=re.compile("Switch (on|off)"))
    was = switch.text_content()
    switch.press("Enter")
    expect(switch).not_to_have_text(was)
    assert not on_body(own_page)
    assert "Switch" in focused(own_page)
    # Nothing is left to undo, and the button that says so still has the focus.
    undo = own_page.get_by_role("button", name="Undo")
    undo.press("Enter")
    expect(switch).to_have_text(was)
    assert focused(own_page) == "Undo"
    # Confirmed, the next step comes: its heading is where one goes on.
    own_page.get_by_role("button", name="Confirm steady").press("Enter")
    expect(own_page.get_by_role("heading", name="Send", exact=True)).to_be_focused()


def test_single_keys_can_be_switched_off_and_stay_so(page):
    page.keyboard.press("3")
    expect(page).to_have_title(re.compile("Gain"))
    page.get_by_role("button", name="Keys").click()
    # Behind the list no key does anything.
    page.keyboard.press("5")
    page.get_by_role("checkbox", name="Single keys have functions").uncheck()
    page.keyboard.press("Escape")
    page.keyboard.press("5")
    expect(page).to_have_title(re.compile("Gain"))
    page.reload()
    page.keyboard.press("5")
    expect(page).to_have_title(re.compile("Gain"))


@pytest.mark.parametrize(
    ("width", "theme"),
    [(1280, "light"), (1280, "dark"), (1024, "light"), (640, "dark"), (640, "light")],
)
def test_nothing_stands_against_wcag_that_a_machine_can_see(page, width, theme):
    # As tall as it takes: what is under the foot only until one scrolls is not covered.
    page.set_viewport_size({"width": width, "height": 800 if width > 900 else 4000})
    page.emulate_media(color_scheme=theme)
    page.evaluate(AXE.read_text())
    found = {}
    for address in [*leaves(), "#now"]:
        go(page, address)
        for fault in page.evaluate(
            "rules => axe.run(document, {runOnly: rules, resultTypes: ['violations']})"
            ".then(told => told.violations)",
            RULES,
        ):
            for node in fault["nodes"]:
                found.setdefault(f"{fault['id']}: {node['html'][:200]}", address)
    assert found == {}


def test_on_paper_a_step_is_whole_and_nothing_is_to_be_pressed(page):
    page.evaluate("location.hash = '#tone/corridor'")
    expect(page.get_by_role("heading", name="Tone", exact=True)).to_be_visible()
    hidden = "(found) => [...found].filter((each) => each.scrollHeight > each.clientHeight + 1)"
    boxes = page.locator(".lines, .evidence, .evidence .picture, main")
    assert boxes.evaluate_all(f"(found) => ({hidden})(found).length") > 0
    page.emulate_media(media="print")
    assert boxes.evaluate_all(f"(found) => ({hidden})(found).length") == 0
    expect(page.get_by_role("contentinfo")).to_be_hidden()
    expect(page.get_by_role("button", name="Confirm tone")).to_be_hidden()
    expect(page.get_by_text("Remaining error")).to_be_visible()


def test_forced_colours_leave_every_state_to_be_seen(page):
    page.evaluate("location.hash = '#tone/corridor'")
    expect(page.get_by_role("heading", name="Tone", exact=True)).to_be_visible()
    chosen = page.get_by_role("tab", selected=True)
    framed = "(each) => getComputedStyle(each).outlineStyle"
    assert chosen.evaluate(framed) == "none"
    page.emulate_media(forced_colors="active")
    assert chosen.evaluate(framed) == "solid"
    assert page.get_by_role("tab", selected=False).first.evaluate(framed) == "none"
    assert page.locator("nav [aria-current=step]").evaluate(framed) == "solid"
    assert page.get_by_role("button", name="Match loudness").evaluate(framed) == "solid"
    # Lines of a picture are drawn in the colours of the person too.
    ink = "() => getComputedStyle(document.documentElement).getPropertyValue('--voice')"
    assert page.evaluate(ink) == "CanvasText"


def test_wider_spacing_of_text_cuts_nothing_off(page):
    # WCAG 1.4.12 names these distances.
    page.add_style_tag(
        content="* { line-height: 1.5 !important; letter-spacing: 0.12em !important;"
        " word-spacing: 0.16em !important } p { margin-bottom: 2em !important }"
    )
    cut = {}
    for address in [*leaves(), "#now"]:
        go(page, address)
        for what in page.evaluate(CUT_OFF):
            cut.setdefault(what, address)
    assert cut == {}
    page.add_style_tag(content="h2 { overflow: hidden; width: 10px }")
    assert page.evaluate(CUT_OFF) != []


def test_the_documents_are_reached_from_the_list_of_keys(page):
    page.evaluate("location.hash = '#tone/corridor'")
    expect(page.get_by_role("tab", selected=True)).to_be_visible()
    page.keyboard.press("?")
    with page.expect_popup() as opened:
        page.get_by_role("link", name="What each step does").click()
    read = opened.value
    expect(read.get_by_role("heading", name="Tone")).to_be_in_viewport()
    for link in ("Getting started", "Questions people ask", "Using Obsidian Wren"):
        read.get_by_role("navigation").get_by_role("link", name=link).click()
        expect(read.get_by_role("heading", name=link, level=1)).to_be_visible()
        for theme in ("light", "dark"):
            read.emulate_media(color_scheme=theme)
            read.evaluate(AXE.read_text())
            faults = read.evaluate(
                "rules => axe.run(document, {runOnly: rules}).then(told => told.violations)", RULES
            )
            assert [fault["id"] for fault in faults] == []
    read.set_viewport_size({"width": 360, "height": 640})
    assert read.evaluate("document.documentElement.scrollWidth") <= 360


def test_one_button_at_a_time_is_dark(start, browse):
    """Over an empty folder, where every step has a first thing to do."""
    page = browse(start("--simulated"))
    shown = "(all) => all.filter((each) => each.offsetParent).map((each) => each.textContent)"
    found = {}
    for address in leaves():
        go(page, address)
        found[address] = page.locator("button.primary").evaluate_all(shown)
    assert {address: dark for address, dark in found.items() if len(dark) > 1} == {}
    assert found["#rig/outlook"]
    assert found["#quiet/rest"]
