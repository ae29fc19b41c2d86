"""Microphones, interfaces and rooms that are kept and used again."""

import pytest

from obsidian_wren.service.errors import Refused
from obsidian_wren.service.rig.fields import MicrophoneFields
from obsidian_wren.service.setup import (
    things,
)
from rigging import MICROPHONE, change, status
from shown import shows


def test_things_are_kept_and_used_again_in_several_rigs(boathouse):
    app = boathouse
    heron = things.keep_thing(
        app,
        "microphone",
        MicrophoneFields(name="Heron 2", kind="dynamic", pattern="cardioid"),
        None,
    )
    assert shows(app, "rig").microphone_id == heron
    assert status(app)["quiet"] == "stale"
    things.add_rig(app, "Loft, standing")
    change(app, distance_cm=40)
    reedling = next(m.id for m in shows(app, "microphones") if m.name == "Reedling 40")
    assert [rig.name for rig in shows(app, "rigs")] == ["Loft desk", "Loft, standing"]
    assert shows(app, "takes") == []
    things.use_rig(app, shows(app, "rigs")[0].id)
    assert shows(app, "rig").distance_cm == 22
    change(app, microphone_id=reedling)
    assert status(app)["quiet"] == "confirmed"
    with pytest.raises(Refused, match="part of the rig “Loft, standing”"):
        things.remove_thing(app, "microphone", heron)
    things.remove_rig(app, shows(app, "rigs")[1].id)
    things.remove_thing(app, "microphone", heron)
    assert [m.name for m in shows(app, "microphones")] == ["Reedling 40"]
    with pytest.raises(Refused, match="is in use"):
        things.remove_rig(app, shows(app, "rig").id)


def test_a_new_name_for_the_same_thing_leaves_nothing_stale(boathouse):
    things.keep_thing(
        boathouse,
        "microphone",
        MICROPHONE.model_copy(update={"name": "Reedling 41"}),
        shows(boathouse, "rig").microphone_id,
    )
    assert status(boathouse)["quiet"] == status(boathouse)["gain"] == "confirmed"
    assert shows(boathouse, "derivable") is None
    with pytest.raises(Refused, match="exists already"):
        things.keep_thing(
            boathouse, "microphone", MICROPHONE.model_copy(update={"name": "Reedling 41"}), None
        )
