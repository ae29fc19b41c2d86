"""Settings that a person pins, and what follows."""

import pytest

from obsidian_wren.service.calibration import settings
from obsidian_wren.service.calibration.preferences import BandValue
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.setup import confirming
from obsidian_wren.service.takes import simulated
from rigging import change, shape_voice, status
from shown import shows


def test_pins_survive_a_new_fit_and_let_go(boathouse):
    app = boathouse
    shape_voice(app)
    bands = [s for s in shows(app, "settings") if s.stage == "equalizer"]
    chosen = bands[0]
    pinned = BandValue(shape="peak", frequency_hz=3000, gain_db=2.0, q=1.0)
    settings.change_setting(app, "equalizer", chosen.name, value=None, band=pinned, pinned=True)
    found = next(s for s in shows(app, "settings") if s.band and s.pinned)
    assert found.band == pinned
    assert found.derived_band == chosen.derived_band
    assert "You set this" in found.because
    settings.fit_again(app)
    again = next(s for s in shows(app, "settings") if s.band and s.pinned)
    assert again.band == pinned
    settings.change_setting(app, "equalizer", again.name, value=None, band=None, pinned=False)
    assert not any(s.pinned for s in shows(app, "settings"))


def test_a_nudged_highpass_changes_the_evidence(boathouse):
    before = shows(boathouse, "tone")
    settings.change_setting(
        boathouse, "highpass", "frequency_hz", value=150.0, band=None, pinned=True
    )
    after = shows(boathouse, "tone")
    at = after.points_hz.index(min(after.points_hz, key=lambda hz: abs(hz - 105)))
    assert after.corrected_db[at] < before.corrected_db[at] - 2
    with pytest.raises(Refused, match="from 20 to 200"):
        settings.change_setting(
            boathouse, "highpass", "frequency_hz", value=900.0, band=None, pinned=True
        )


def test_a_new_room_leaves_the_fit_stale_until_fitted_again(boathouse):
    confirming.confirm_step(boathouse, "tone")
    simulated.start_simulated(boathouse, "rest")
    assert status(boathouse)["tone"] == "stale"
    settings.fit_again(boathouse)
    assert status(boathouse)["tone"] == "confirmed"


def test_a_moved_microphone_leaves_everything_stale(boathouse):
    change(boathouse, distance_cm=15)
    assert [status(boathouse)[step] for step in ("quiet", "gain", "tone")] == ["stale"] * 3


def test_moving_the_microphone_really_moves_it_in_the_simulated_world(boathouse):
    before = shows(boathouse, "talk")
    change(boathouse, distance_cm=11)
    simulated.start_simulated(boathouse, "talk")
    after = shows(boathouse, "talk")
    # Half the distance: 6 dB more direct sound, and the proximity boost of the bass on top.
    assert 5 < after.active_level_dbfs - before.active_level_dbfs < 10
    assert after.snr_db > before.snr_db + 5
