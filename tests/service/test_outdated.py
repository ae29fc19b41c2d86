"""What becomes outdated, and what is predicted until it is measured again."""

import pytest
from sqlalchemy import select

from obsidian_wren.service.calibration import deriving, settings
from obsidian_wren.service.setup import (
    turning,
)
from obsidian_wren.service.takes import simulated
from obsidian_wren.store.models import Derivation
from rigging import change, preamp, setting, status
from shown import overview, shows


def test_a_turned_knob_stales_levels_predicts_them_and_one_press_derives_again(boathouse):
    app = boathouse
    before = overview(app, "diagram", "talk")
    gain = setting(app, "compressor", "makeup_db").value
    turning.turn(app, "preamp", preamp(app) - 5.0)
    shown = overview(app, "derivable", "diagram", "gain_plan", "predictions", "steps")
    assert (status(app)["quiet"], status(app)["gain"], status(app)["tone"]) == (
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
    deriving.derive_again(app)
    shown = overview(app, "derivable", "diagram", "gain_plan", "predictions", "steps")
    assert shown.derivable is None
    assert "Predicted: −5 dB" in shown.gain_plan.predicted
    assert shown.gain_plan.change_db == pytest.approx(5.0, abs=1.0)
    assert setting(app, "compressor", "makeup_db").value == pytest.approx(gain + 5.0, abs=0.15)
    predicted_peak = {p.name: p.peak_dbfs for p in shown.diagram}["converter"]
    # Still a prediction until the take is made again, which then agrees with it.
    assert status(app)["gain"] == "stale"
    simulated.start_simulated(app, "talk")
    simulated.start_simulated(app, "rest")
    assert shows(app, "talk").peak_dbfs == pytest.approx(predicted_peak, abs=0.3)
    assert shows(app, "gain_plan").predicted is None
    assert setting(app, "compressor", "makeup_db").value == pytest.approx(gain + 5.0, abs=0.5)


def test_a_moved_microphone_is_predicted_by_the_inverse_distance(boathouse):
    before = overview(boathouse, "talk")
    change(boathouse, distance_cm=44)
    shown = overview(boathouse, "predictions")
    assert shown.predictions["talk"].voice_db == pytest.approx(-6.02, abs=0.01)
    assert shown.predictions["talk"].room_db == 0.0
    assert "+" not in shown.predictions["talk"].because
    # What cannot be known without a take stays stale: the tone is not derived from a guess.
    deriving.derive_again(boathouse)
    assert status(boathouse)["tone"] == "stale"
    simulated.start_simulated(boathouse, "talk")
    found = shows(boathouse, "talk").active_level_dbfs - before.talk.active_level_dbfs
    # Proximity and the room's own sound come on top of the direct sound's 6 dB.
    assert -10.0 < found < -5.0


def test_a_shock_mount_stales_the_room_in_use_only(boathouse):
    simulated.start_simulated(boathouse, "in-use")
    change(boathouse, shock_mount=True)
    stale = {take.purpose for take in shows(boathouse, "takes") if take.current and take.stale}
    assert stale == {"in-use"}


@pytest.mark.parametrize("hz", [90.0, 90.5])
def test_a_pin_leaves_nothing_outdated_that_was_derived_with_it(boathouse, hz):
    """The database gives 90 back for 90.0."""
    settings.change_setting(boathouse, "highpass", "frequency_hz", value=hz, band=None, pinned=True)
    shown = overview(boathouse, "derivable", "steps")
    assert shown.derivable is None
    assert all(step.why is None for step in shown.steps if step.name in ("clean", "tone", "steady"))


def test_what_an_older_version_kept_of_a_pin_is_the_same_pin(boathouse):
    settings.change_setting(
        boathouse, "highpass", "frequency_hz", value=90.0, band=None, pinned=True
    )
    with boathouse.sessions.begin() as session:
        for row in session.scalars(select(Derivation)):
            held = row.used.get("pin:highpass")
            if held is not None:
                assert "90.0" in held
                row.used = {**row.used, "pin:highpass": held.replace("90.0", "90")}
    assert shows(boathouse, "derivable") is None
    with boathouse.sessions.begin() as session:
        for row in session.scalars(select(Derivation)):
            if "pin:highpass" in row.used:
                row.used = {**row.used, "pin:highpass": "no pin at all"}
    # What cannot be read differs; nothing fails over it.
    assert shows(boathouse, "derivable") is not None
