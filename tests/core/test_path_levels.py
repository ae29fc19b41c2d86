"""Levels along the path, and how they move with a gain."""

import dataclasses

import pytest

from obsidian_wren.core.derive.path_levels import levels_here, sound_pressure_db_spl
from obsidian_wren.core.derive.path_point import at_listener, shifted
from obsidian_wren.core.derive.prediction import quiet_at_gain
from obsidian_wren.core.measure.levels import peak_dbfs
from obsidian_wren.core.measure.readings import read_quiet
from signals import RATE, room, voice


def test_a_turned_knob_lifts_the_room_by_as_much(quiet):
    lifted = quiet_at_gain(quiet, 7.0)
    assert lifted.rms_dbfs == pytest.approx(quiet.rms_dbfs + 7.0)
    assert lifted.noise.points_db() == pytest.approx(quiet.noise.points_db() + 7.0)
    assert quiet_at_gain(quiet, 0.0) is quiet


def test_the_path_moves_with_a_plain_gain():
    talk, quiet = voice(), room()
    here = levels_here(talk, quiet, rate_hz=RATE)
    assert here.peak_dbfs == pytest.approx(peak_dbfs(talk))
    assert here.voice_low_dbfs < here.voice_high_dbfs < here.peak_dbfs
    assert here.floor_dbfs_a == pytest.approx(
        read_quiet(quiet, rate_hz=RATE).a_weighted_dbfs, 0.002
    )
    assert shifted(here, -32.0).floor_dbfs_a == pytest.approx(here.floor_dbfs_a - 32.0)
    heard = at_listener(here, gain_db=30.0, ceiling_dbtp=-3.0)
    assert heard.voice_low_dbfs == pytest.approx(here.voice_low_dbfs + 30.0)
    assert heard.peak_dbfs == -3.0
    unknown = levels_here(None, quiet, rate_hz=RATE)
    assert dataclasses.astuple(unknown)[:3] == (None, None, None)


def test_sound_pressure_from_sensitivity():
    """94 dB SPL on 20 mV/Pa is 20 mV = -31.76 dBu; with 30 dB of gain into +9 dBu full scale it
    reads -10.76 dBFS."""
    spl = sound_pressure_db_spl(-10.76, gain_db=30.0, max_input_dbu=9.0, sensitivity_mv_pa=20.0)
    assert spl == pytest.approx(94.0, abs=0.01)
