"""What Quiet shows: parts of the floor, the noise profile, the hunt."""

import numpy as np
import pytest

from obsidian_wren.service.errors import Refused
from obsidian_wren.service.export import exporting
from obsidian_wren.service.live import watching
from obsidian_wren.service.setup import (
    computer_changes,
    turning,
)
from obsidian_wren.service.takes import simulated
from rigging import preamp
from shown import shows
from waiting import wait_until


def test_the_parts_of_the_floor_are_told_apart(boathouse):
    app = boathouse
    computer_changes.change_device(app, "in-3", "bits", 24)
    simulated.start_simulated(app, "rest")
    assert shows(app, "split") is None
    simulated.start_simulated(app, "muted")
    assert "another gain" in shows(app, "split").missing
    with pytest.raises(Refused, match="Enter the gain"):
        simulated.start_simulated(app, "other-gain")
    simulated.start_simulated(app, "other-gain", position=6.0)
    assert preamp(app) == 32.0
    split = shows(app, "split")
    parts = {part.name: part for part in split.parts}
    assert split.dominant == "room"
    # −107 dBFS of converter noise, A-weighted 2.3 dB less over 24 kHz.
    assert parts["converter"].level_dbfs == pytest.approx(-107.0, abs=0.6)
    assert parts["microphone"].a_weighted_dbfs == pytest.approx(
        13 - 94 + 32 + 20 * np.log10(0.018 / 0.7746) - 9, abs=0.1
    )
    assert "adds no audible noise" in split.meaning
    assert not shows(app, "gain_plan").floor_assumed
    turning.turn(app, "preamp", 40.0)
    assert shows(app, "split").stale


def test_the_noise_profile_is_kept_and_handed_out(boathouse):
    profile = exporting.export_calibration(boathouse)["readings"]["noise_profile"]
    assert len(profile["mean_db"]) == len(profile["spread_db"]) == profile["frame_samples"] // 2 + 1
    mean = 10 * np.log10(sum(10 ** (level / 10) for level in profile["mean_db"])) + 3.01
    assert mean == pytest.approx(shows(boathouse, "quiet").rms_dbfs, abs=0.3)


def frames(listener):
    found = [listener.get_nowait() for _ in range(listener.qsize())]
    return [body for kind, body in found if kind == "frame"]


def test_the_hunt_shows_what_fell(boathouse):
    app = boathouse
    told = app.bus.listen()
    watching.start_watch(app, "rest")
    wait_until(lambda: told.qsize() > 60)
    before = frames(told)[-1]
    assert before["a_weighted_dbfs"] == pytest.approx(shows(app, "quiet").a_weighted_dbfs, abs=1.5)
    turning.switch_thing(app, "heater", False)
    low = before["bands_hz"].index(40)

    def fell():
        return [
            frame
            for frame in frames(told)
            if frame["bands_dbfs"][low] < before["bands_dbfs"][low] - 8.0
            and frame["a_weighted_dbfs"] < before["a_weighted_dbfs"] - 3.0
        ]

    # What is shown runs behind what sounds, by more where the machine is slow.
    wait_until(fell)
    watching.stop_watch(app)
    assert not shows(app, "watch").on
    with pytest.raises(Refused, match="no “kettle”"):
        turning.switch_thing(app, "kettle", False)
