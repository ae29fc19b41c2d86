"""The state in parts: who says what it has gets what differs."""

import pytest

from kills import rig_of
from obsidian_wren.service.page import views
from obsidian_wren.service.page.overview import PARTS
from obsidian_wren.web.app import create_app


@pytest.fixture
def client(app):
    return create_app(app).test_client()


def said(have):
    return ",".join(f"{name}={word}" for name, word in have.items())


def test_every_field_of_the_state_is_in_one_part():
    own = [set(getattr(views, f"{name.capitalize()}Part").model_fields) for name in PARTS]
    fields = set().union(*own)
    assert sum(map(len, own)) == len(fields)
    assert set(views.Overview.model_fields) - fields == {"revision", "have", "findings"}


def test_what_a_page_has_is_not_sent_again(client):
    whole = client.get("/api/state").json
    assert whole["have"].keys() == PARTS.keys()
    assert views.Overview.model_validate(whole).rig.name == whole["rig"]["name"]
    again = client.get("/api/state", headers={"Wren-Have": said(whole["have"])}).json
    assert again.keys() == {"revision", "have", "findings"}
    assert again["have"] == whole["have"]


def test_a_click_is_answered_with_the_parts_that_it_changed(client):
    whole = client.get("/api/state").json
    fields = rig_of(whole)
    changed = client.put(
        "/api/rig",
        json={**fields, "name": "Loft desk"},
        headers={"Wren-Have": said(whole["have"])},
    ).json
    assert changed["rig"]["name"] == "Loft desk"
    assert changed["undo"]["title"]
    assert not {"tone", "destinations", "takes", "quiet"} & changed.keys()


@pytest.mark.parametrize("wanted", ["room", "room, steps", "send,nothing"])
def test_only_what_is_wanted_is_read(client, wanted):
    asked = {name.strip() for name in wanted.split(",")} & PARTS.keys()
    found = client.get("/api/state", headers={"Wren-Want": wanted}).json
    assert found["have"].keys() == asked
    assert ("quiet" in found) == ("room" in asked)


def test_a_header_that_makes_no_sense_gets_everything(client):
    found = client.get(
        "/api/state", headers={"Wren-Want": "nothing", "Wren-Have": "=,rig,steps==,x=y"}
    ).json
    assert found["have"].keys() == PARTS.keys()
    assert "rig" in found
