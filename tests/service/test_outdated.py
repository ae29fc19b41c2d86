"""What becomes outdated, and what is predicted until it is measured again."""

import pytest

from obsidian_wren.service.calibration import deriving
from obsidian_wren.service.page.overview import overview
from obsidian_wren.service.setup import (
    turning,
)
from obsidian_wren.service.takes import simulated
from rigging import change, preamp, setting, status


def test_a_turned_knob_stales_levels_predicts_them_and_one_press_derives_again(boathouse):
    ws = boathouse
    before = overview(ws)
    gain = setting(ws, "compressor", "makeup_db").value
    turning.turn(ws, "preamp", preamp(ws) - 5.0)
    shown = overview(ws)
    assert (status(ws)["quiet"], status(ws)["gain"], status(ws)["tone"]) == (
        "stale",
        "stale",
        "confirmed",
    )
    assert shown.steps[1].why == "Measured at 32 dB gain, now 27."
    assert shown.predictions["rest"].room_db == shown.predictions["talk"].voice_db == -5.0
    assert shown.derivable.startswith("the causes, the gain plan")
    moved = {point.name: point for point in shown.diagram}
    assert moved["converter"].predicted
    assert moved["converter"].peak_dbfs == pytest.approx(before.talk.peak_dbfs - 5.0, abs=0.05)
    assert moved["mic"].peak_dbfs == next(p.peak_dbfs for p in before.diagram if p.name == "mic")
    deriving.derive_again(ws)
    shown = overview(ws)
    assert shown.derivable is None
    assert "Predicted: -5 dB" in shown.gain_plan.predicted
    assert shown.gain_plan.change_db == pytest.approx(5.0, abs=1.0)
    assert setting(ws, "compressor", "makeup_db").value == pytest.approx(gain + 5.0, abs=0.15)
    predicted_peak = {p.name: p.peak_dbfs for p in shown.diagram}["converter"]
    # Still a prediction until the take is made again, which then agrees with it.
    assert status(ws)["gain"] == "stale"
    simulated.start_simulated(ws, "talk")
    simulated.start_simulated(ws, "rest")
    assert overview(ws).talk.peak_dbfs == pytest.approx(predicted_peak, abs=0.3)
    assert overview(ws).gain_plan.predicted is None
    assert setting(ws, "compressor", "makeup_db").value == pytest.approx(gain + 5.0, abs=0.5)


def test_a_moved_microphone_is_predicted_by_the_inverse_distance(boathouse):
    before = overview(boathouse)
    change(boathouse, distance_cm=44)
    shown = overview(boathouse)
    assert shown.predictions["talk"].voice_db == pytest.approx(-6.02, abs=0.01)
    assert shown.predictions["talk"].room_db == 0.0
    assert "+" not in shown.predictions["talk"].because
    # What cannot be known without a take stays stale: the tone is not derived from a guess.
    deriving.derive_again(boathouse)
    assert status(boathouse)["tone"] == "stale"
    simulated.start_simulated(boathouse, "talk")
    found = overview(boathouse).talk.active_level_dbfs - before.talk.active_level_dbfs
    # Proximity and the room's own sound come on top of the direct sound's 6 dB.
    assert -10.0 < found < -5.0


def test_a_shock_mount_stales_the_room_in_use_only(boathouse):
    simulated.start_simulated(boathouse, "in-use")
    change(boathouse, shock_mount=True)
    stale = {take.purpose for take in overview(boathouse).takes if take.current and take.stale}
    assert stale == {"in-use"}
