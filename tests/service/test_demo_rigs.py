"""The three rigs of the demo, calibrated by the program itself, against what their worlds hide."""

import json

import numpy as np
import pytest

from obsidian_wren.devices.browser import BrowserStream
from obsidian_wren.service.calibration import chain_rows
from obsidian_wren.service.opening.boathouse import fill_demo
from obsidian_wren.service.opening.opening import close_app, open_app
from obsidian_wren.service.page import before_after
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.service.setup import things
from obsidian_wren.simulation.acoustics import microphone_magnitude
from obsidian_wren.simulation.spec import WorldSpec
from obsidian_wren.simulation.surroundings import simulated_world
from obsidian_wren.store.folder import DataFolder
from shown import overview

RATE, BINS = 48_000, 4097
LOFT, GALLEY, WHEELHOUSE = "Loft desk", "Galley table", "Wheelhouse"


@pytest.fixture(scope="module")
def demo(tmp_path_factory):
    folder = DataFolder(tmp_path_factory.mktemp("demo") / "data")
    app = open_app(folder, simulated_world(BrowserStream), pace="fast")
    assert fill_demo(app)
    assert not fill_demo(app)
    yield app
    close_app(app)


def take_in_hand(app, name):
    rig = next(rig for rig in overview(app, "rigs").rigs if rig.name == name)
    if overview(app, "rig").rig.id != rig.id:
        things.use_rig(app, rig.id)


def colour_db(app):
    """What the rig adds to a near voice, before and behind its tone, dB around the mean."""
    with app.sessions() as session:
        ctx = in_hand(app, session)
        spec = WorldSpec.model_validate(json.loads(ctx.rig.spec_json))
        rows = chain_rows.correction_rows(chain_rows.tone_specs(ctx), RATE)
    adds = microphone_magnitude(spec.microphone, spec.placement, BINS, rate_hz=RATE, near=True)
    hz = np.geomspace(120.0, 8_000.0, 150)
    before = 20 * np.log10(np.interp(hz, np.linspace(0, RATE / 2, BINS), np.abs(adds)))
    after = before + np.interp(hz, *np.transpose(rows))
    return [np.std(curve) for curve in (before, after)]


def test_the_demo_opens_on_the_wheelhouse_and_nothing_can_be_undone(demo):
    shown = overview(demo)
    assert shown.rig.name == WHEELHOUSE
    assert [rig.name for rig in shown.rigs] == [LOFT, GALLEY, WHEELHOUSE]
    assert shown.undo is None


@pytest.mark.parametrize("name", [GALLEY, WHEELHOUSE])
def test_a_rig_that_needs_it_is_made_quiet_neutral_and_even(demo, name):
    take_in_hand(demo, name)
    found = before_after.shown(demo).found
    # What lies in the pauses of a hard room is reverb too.
    assert found.room_before_dbfs_a - found.room_after_dbfs_a >= 15.0
    assert found.width_after_db < found.width_before_db
    before, after = colour_db(demo)
    assert after < 0.5 * before
    shown = overview(demo, "delivery", "clean", "quiet")
    landing = shown.delivery
    raw_dbfs_a = shown.quiet.a_weighted_dbfs + landing.planned_lufs - landing.raw_lufs
    assert raw_dbfs_a - landing.planned_floor_dbfs_a >= 20.0
    assert landing.planned_lufs == pytest.approx(landing.aim_lufs, abs=landing.tolerance_lu)
    assert landing.planned_true_peak_dbtp <= landing.aim_ceiling_dbtp
    low, high = landing.aim_peaks_dbfs
    assert low <= landing.planned_peaks_dbfs <= high
    assert {taken.clipped for taken in shown.clean.taken.values()} == {0}


def test_a_good_rig_is_left_alone(demo):
    take_in_hand(demo, LOFT)
    on = {stage.key for stage in overview(demo, "stages").stages if stage.on}
    cleaning = {"hum", "clicks", "noise_reduction", "ring_reduction", "gate", "learned"}
    assert not on & (cleaning | {"equalizer"})
