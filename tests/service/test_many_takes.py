"""However many takes there are, the state tells of those in force and the newest few; older ones
come when they are asked for."""

from sqlalchemy import select

from obsidian_wren.service.page.takes import older_than
from obsidian_wren.service.rig.rigs import the_rig
from obsidian_wren.service.rig.take_queries import current_takes
from obsidian_wren.store.models import Take
from obsidian_wren.web.app import create_app

MANY = 300


def with_many(app, purpose="rest", **how):
    """So many takes of a purpose that none of them is in force, and those before them."""
    with app.sessions.begin() as session:
        first = session.scalars(select(Take).where(Take.purpose == purpose)).first()
        kept = {c.key: getattr(first, c.key) for c in Take.__mapper__.column_attrs}
        for _ in range(MANY):
            values = {name: value for name, value in kept.items() if name != "id"}
            session.add(Take(**values | {"fault": "It is silent.", "fault_code": "silent"} | how))


def test_the_take_in_force_and_the_newest_few_are_told(boathouse):
    client = create_app(boathouse).test_client()
    before = client.get("/api/state").get_json()
    in_force = {take["id"] for take in before["takes"] if take["current"]}
    size = len(client.get("/api/state").data)
    with_many(boathouse)
    after = client.get("/api/state").get_json()
    takes = [take for take in after["takes"] if take["purpose"] == "rest"]
    assert len(takes) == 7
    assert {take["id"] for take in after["takes"] if take["current"]} == in_force
    assert after["older_takes"] == ["rest"]
    assert [take["id"] for take in after["takes"]] == sorted(t["id"] for t in after["takes"])
    assert len(client.get("/api/state").data) < 1.1 * size


def test_older_ones_come_page_by_page_each_once(boathouse):
    with_many(boathouse, "talk")
    with boathouse.sessions() as session:
        rig = the_rig(boathouse, session)
        every = list(session.scalars(select(Take.id).where(Take.purpose == "talk")))
        assert current_takes(session, rig).talk.id < every[-1]
    found, before = [], 2**62
    while True:
        page = [take.id for take in older_than(boathouse, "talk", before).takes]
        assert page == sorted(page)
        if not page:
            break
        found, before = page + found, page[0]
    assert found == every


def test_what_was_discarded_and_another_rigs_are_left_out(boathouse):
    with_many(boathouse, discarded=True, fault=None, fault_code=None)
    shown = create_app(boathouse).test_client().get("/api/state").get_json()
    assert "rest" not in shown["older_takes"]
    assert older_than(boathouse, "rest", 2**62).takes[-1].id <= MANY
