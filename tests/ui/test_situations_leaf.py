"""Situations: made, used by a press and by a key, compared, told from outside."""

from playwright.sync_api import expect

from obsidian_wren.cli.tell import DONE, tell


def keep(page, name):
    page.get_by_label("Name", exact=True).fill(name)
    page.get_by_role("button", name="Keep how it is now").click()
    expect(page.get_by_text(f"It is as in “{name}”.")).to_be_visible()


def test_two_are_made_and_switched_by_a_press_a_key_and_from_outside(
    start, browse, boathouse_data, tmp_path
):
    page = browse(start("--fast", data=boathouse_data) + "#send/situations")
    page.goto(page.url.partition("#")[0] + "#send/situations")
    keep(page, "At the desk")
    page.goto(page.url.partition("#")[0] + "#tone/target")
    page.get_by_label("Warmth").first.fill("3")
    page.get_by_label("Warmth").first.press("Enter")
    page.goto(page.url.partition("#")[0] + "#send/situations")
    expect(page.get_by_text("How it is now is in no situation yet.")).to_be_visible()
    keep(page, "Late")
    head = page.get_by_role("combobox", name="Situation", exact=True)
    expect(head.locator("option:checked")).to_have_text("Late")
    # Side by side, what is decided and what comes of it.
    expect(page.get_by_role("row", name="Warmth")).to_contain_text("+3.0 dB")
    page.get_by_role("button", name="Use it").click()
    expect(page.get_by_text("It is as in “At the desk”.")).to_be_visible()
    page.keyboard.press("n")
    expect(page.get_by_text("It is as in “Late”.")).to_be_visible()
    assert tell(["--data", str(tmp_path / "data"), "situation", "at", "the", "desk"]) == DONE
    expect(head.locator("option:checked")).to_have_text("At the desk")
    page.get_by_role("button", name="Undo", exact=True).click()
    expect(head.locator("option:checked")).to_have_text("Late")
