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
    ws = boathouse
    heron = things.keep_thing(
        ws, "microphone", MicrophoneFields(name="Heron 2", kind="dynamic", pattern="cardioid"), None
    )
    assert shows(ws, "rig").microphone_id == heron
    assert status(ws)["quiet"] == "stale"
    things.add_rig(ws, "Loft, standing")
    change(ws, distance_cm=40)
    reedling = next(m.id for m in shows(ws, "microphones") if m.name == "Reedling 40")
    assert [rig.name for rig in shows(ws, "rigs")] == ["Loft desk", "Loft, standing"]
    assert shows(ws, "takes") == []
    things.use_rig(ws, shows(ws, "rigs")[0].id)
    assert shows(ws, "rig").distance_cm == 22
    change(ws, microphone_id=reedling)
    assert status(ws)["quiet"] == "confirmed"
    with pytest.raises(Refused, match="part of the rig “Loft, standing”"):
        things.remove_thing(ws, "microphone", heron)
    things.remove_rig(ws, shows(ws, "rigs")[1].id)
    things.remove_thing(ws, "microphone", heron)
    assert [m.name for m in shows(ws, "microphones")] == ["Reedling 40"]
    with pytest.raises(Refused, match="is in use"):
        things.remove_rig(ws, shows(ws, "rig").id)


def test_a_new_name_for_the_same_thing_leaves_nothing_stale(boathouse):
    things.keep_thing(
        boathouse,
        "microphone",
        MICROPHONE.model_copy(update={"name": "Reedling 41"}),
        shows(boathouse, "rig").microphone_id,
    )
    assert status(boathouse)["quiet"] == status(boathouse)["gain"] == "confirmed"
    assert shows(boathouse, "derivable") is None
    with pytest.raises(Refused, match="kept already"):
        things.keep_thing(
            boathouse, "microphone", MICROPHONE.model_copy(update={"name": "Reedling 41"}), None
        )
