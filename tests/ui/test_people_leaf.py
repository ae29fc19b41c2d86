"""Two people at one desk: chosen, heard, measured and told in Send."""

import shutil

from playwright.sync_api import expect

from obsidian_wren.devices.browser import BrowserStream
from obsidian_wren.service.opening.opening import close_app, open_app
from obsidian_wren.simulation.surroundings import simulated_world
from obsidian_wren.store.folder import DataFolder
from two_rigs import add_calibrated_rig


def test_somebody_beside_is_chosen_measured_and_lowered(start, browse, boathouse_data, tmp_path):
    shutil.copytree(boathouse_data, tmp_path / "desk")
    app = open_app(DataFolder(tmp_path / "desk"), simulated_world(BrowserStream), pace="fast")
    add_calibrated_rig(app)
    close_app(app)
    page = browse(start("--fast", data=tmp_path / "desk"))
    page.goto(page.url.partition("#")[0] + "#send/people")
    only_you = page.get_by_role("button", name="Only you talk")
    expect(only_you).to_be_hidden()
    page.get_by_label("Beside you").select_option(label="Deck chair")
    expect(page.get_by_text("Heard with you, as loud as you,")).to_be_visible()
    # Both have to be live for it.
    expect(only_you).to_be_disabled()
    page.get_by_role("button", name="Start live").click()
    only_you.click()
    expect(
        page.get_by_text("Talk without long pauses; the other person is silent.")
    ).to_be_visible()
    expect(page.get_by_role("button", name="Only you talk, again")).to_be_enabled()
    expect(page.get_by_role("img", name="Your microphone: not measured")).to_be_visible()
    page.get_by_role("button", name="Only they talk").click()
    expect(page.get_by_text("Lowered now: you")).to_be_visible()
    expect(page.get_by_role("img", name="Your microphone: Deck chair at")).to_be_visible()
    page.get_by_role("button", name="Undo", exact=True).click()
    expect(page.get_by_text("Lowered now: you")).to_be_hidden()
