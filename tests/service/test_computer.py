"""The sound settings of the computer."""

import pytest

from obsidian_wren.service.errors import Refused
from obsidian_wren.service.rig.computer_rows import RAW_NAME
from obsidian_wren.service.setup import (
    computer_changes,
)
from obsidian_wren.service.takes import simulated
from rigging import status
from shown import shows


def test_the_audit_clears_when_it_is_mended(boathouse):
    app = boathouse
    codes = [finding.code for finding in shows(app, "computer").findings]
    assert codes == ["other-input", "rate", "loudspeakers", "bits"]
    for _ in codes:
        finding = shows(app, "computer").findings[0]
        change = finding.change
        computer_changes.change_device(app, change.device_id, change.field, change.value)
    assert shows(app, "computer").findings == []
    computer_changes.change_device(app, "in-3", "enhancements", True)
    assert shows(app, "computer").findings[0].code == "enhancements"
    assert status(app)["quiet"] == "stale"


def test_a_device_that_leaves_and_returns_is_recognised(boathouse):
    app = boathouse
    computer_changes.name_device(app, "in-3", "Loft mic")
    assert shows(app, "destinations")[0].picks == RAW_NAME
    computer_changes.unplug(app, "in-3")
    assert shows(app, "computer").findings[0].code == "gone"
    with pytest.raises(Refused, match="not plugged in"):
        computer_changes.change_device(app, "in-3", "bits", 24)
    computer_changes.plug_in(app, "in-3")
    back = next(d for d in shows(app, "computer").devices if d.of_rig)
    assert (back.present, back.own_name, back.id == "in-3", back.system_name == RAW_NAME) == (
        True,
        "Loft mic",
        False,
        False,
    )
    assert shows(app, "destinations")[0].picks == back.system_name
    assert "gone" not in [finding.code for finding in shows(app, "computer").findings]
    with pytest.raises(Refused, match="already called “Loft mic”"):
        computer_changes.name_device(
            app,
            next(d.id for d in shows(app, "computer").devices if d.kind == "webcam"),
            "Loft mic",
        )
    with pytest.raises(Refused, match="no longer lists this device"):
        computer_changes.unplug(app, "in-3")


def test_enhancements_that_cut_the_room_away_are_named(boathouse):
    computer_changes.change_device(boathouse, "in-3", "enhancements", True)
    simulated.start_simulated(boathouse, "rest")
    assert "enhancements off" in shows(boathouse, "takes")[-1].fault
