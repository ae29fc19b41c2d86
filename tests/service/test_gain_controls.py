"""The gain controls of a rig, and the plan over them."""

import pytest

from obsidian_wren.service.errors import Refused
from obsidian_wren.service.setup import (
    rig_changes,
    things,
    turning,
)
from obsidian_wren.service.takes import simulated
from rigging import INTERFACE, change, rig_fields
from shown import overview, shows


def test_the_loudest_and_softest_shape_the_plan(boathouse):
    simulated.start_simulated(boathouse, "loud")
    simulated.start_simulated(boathouse, "soft")
    shown = overview(boathouse, "gain_plan")
    assert shown.gain_plan.expected_loudest_dbfs <= -3.0
    assert shown.gain_plan.expected_headroom_db == pytest.approx(
        -shown.gain_plan.expected_loudest_dbfs
    )
    assert shown.gain_plan.expected_softest_dbfs < shown.gain_plan.expected_talk_dbfs - 8
    change(boathouse, aim_low_dbfs=-30, aim_high_dbfs=-26)
    assert shows(boathouse, "gain_plan").change_db < -10
    with pytest.raises(Refused, match="lower end of the target has"):
        rig_changes.change_rig(boathouse, rig_fields(boathouse, aim_low_dbfs=-8, aim_high_dbfs=-20))


def test_controls_stay_in_their_ranges(boathouse):
    for control, position in (("slider", 101.0), ("pad", 2.0), ("preamp", 95.0)):
        with pytest.raises(Refused, match="goes from"):
            turning.turn(boathouse, control, position)
    things.keep_thing(
        boathouse,
        "interface",
        INTERFACE.model_copy(update={"pad_db": None}),
        shows(boathouse, "rig").interface_id,
    )
    with pytest.raises(Refused, match="no pad"):
        turning.turn(boathouse, "pad", 1.0)
