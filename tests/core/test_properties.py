"""What must hold for any sound: readings follow gain, and care neither for polarity nor for the
clock."""

import dataclasses

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from obsidian_wren.core.chain.equalizer import EqualizerSpec
from obsidian_wren.core.chain.filters import EqualizerBand, response_db
from obsidian_wren.core.chain.offline import render
from obsidian_wren.core.derive.equalizer_problem import eq_response_db
from obsidian_wren.core.measure.levels import frame_levels_dbfs, peak_by_second_dbfs
from obsidian_wren.core.measure.loudness import integrated_lufs
from obsidian_wren.core.measure.readings import read_level, read_quiet, read_talk
from signals import RATE, noise, room, sine, voice

ROOM = room(3e-4, 6.0) + sine(100, -70, 6.0) + sine(50, -74, 6.0)
TALK = voice("passage")[: 12 * RATE] + room(1e-4, 12.0)
LEVELS = (
    "rms_dbfs",
    "a_weighted_dbfs",
    "peak_dbfs",
    "true_peak_dbtp",
    "loudness_lufs",
    "active_level_dbfs",
)


def levels_of(reading):
    found = {name: getattr(reading, name) for name in LEVELS if hasattr(reading, name)}
    found |= {
        f"p.{name}": value for name, value in dataclasses.asdict(reading.percentiles_dbfs).items()
    }
    if hasattr(reading, "third_octaves"):
        found |= {f"band.{band.centre_hz}": band.level_dbfs for band in reading.third_octaves}
    return found


@settings(max_examples=8, deadline=None)
@given(st.floats(-20, 15))
def test_every_level_of_a_quiet_reading_follows_gain(gain_db):
    before, after = (
        levels_of(read_quiet(sound, rate_hz=RATE)) for sound in (ROOM, ROOM * 10 ** (gain_db / 20))
    )
    for name, level in before.items():
        assert after[name] - level == pytest.approx(gain_db, abs=1e-6), name


@settings(max_examples=5, deadline=None)
@given(st.floats(-20, 10))
def test_every_level_of_a_talk_reading_follows_gain_and_its_pitch_does_not(gain_db):
    before, after = (
        read_talk(sound, rate_hz=RATE) for sound in (TALK, TALK * 10 ** (gain_db / 20))
    )
    for name, level in levels_of(before).items():
        # P.56 looks for its threshold among powers of two, so it follows to a tenth.
        assert levels_of(after)[name] - level == pytest.approx(
            gain_db, abs=0.1 if name == "active_level_dbfs" else 1e-6
        ), name
    assert after.pitch_hz.p50 == pytest.approx(before.pitch_hz.p50, rel=0.01)
    assert after.loudness_range_lu == pytest.approx(before.loudness_range_lu, abs=0.01)


@pytest.mark.parametrize("read", [read_level, read_quiet, read_talk])
def test_polarity_changes_nothing(read):
    sound = TALK if read is read_talk else ROOM
    up, down = (levels_of(read(s, rate_hz=RATE)) for s in (sound, -sound))
    for name, level in up.items():
        assert down[name] == pytest.approx(level, abs=1e-6), name


def test_hum_keeps_its_frequency_under_gain_and_polarity():
    found = [read_quiet(sound, rate_hz=RATE).hum for sound in (ROOM, -ROOM, ROOM * 0.1)]
    assert {hum.mains_hz for hum in found} == {found[0].mains_hz}
    assert found[0].level_dbfs - found[2].level_dbfs == pytest.approx(20.0, abs=0.01)


@pytest.mark.parametrize("rate", [16_000, 44_100, 96_000])
def test_the_rate_of_a_file_is_no_property_of_its_sound(rate):
    here, there = (read_level(sine(400, -23.0, 6.0, rate_hz=r), rate_hz=r) for r in (RATE, rate))
    assert there.rms_dbfs == pytest.approx(here.rms_dbfs, abs=0.01)
    assert there.a_weighted_dbfs == pytest.approx(here.a_weighted_dbfs, abs=0.02)
    # K-weighting's shelf bends a little where it nears half the rate: 0.08 LU at 16 kHz.
    assert there.loudness_lufs == pytest.approx(here.loudness_lufs, abs=0.1)


band = st.builds(
    EqualizerBand,
    st.sampled_from(["peak", "low_shelf", "high_shelf"]),
    st.floats(80, 10_000),
    st.floats(-9, 6),
    st.floats(0.4, 4),
)


@settings(max_examples=30, deadline=None)
@given(st.lists(band, min_size=1, max_size=8))
def test_bands_in_series_add_in_decibels_and_undo_each_other(bands):
    hz = np.geomspace(50, 20_000, 60)
    total = eq_response_db(bands, hz, rate_hz=RATE)
    assert total == pytest.approx(
        sum(eq_response_db([one], hz, rate_hz=RATE) for one in bands), abs=1e-9
    )
    undone = [*bands, *(dataclasses.replace(one, gain_db=-one.gain_db) for one in bands)]
    assert np.abs(eq_response_db(undone, hz, rate_hz=RATE)).max() < 1e-6


@settings(max_examples=10, deadline=None)
@given(st.lists(band, min_size=1, max_size=6))
def test_sound_through_the_equalizer_changes_as_its_response_says(bands):
    """A steady sine at each of a few frequencies, past the filters' own settling."""
    stage = EqualizerSpec(tuple(bands)).build(rate_hz=RATE)
    for hz in (150.0, 1100.0, 6300.0):
        tone = sine(hz, -30.0, 1.0)
        out = render((EqualizerSpec(tuple(bands)),), tone, rate_hz=RATE)
        change = 10 * np.log10(np.mean(out[RATE // 2 :] ** 2) / np.mean(tone[RATE // 2 :] ** 2))
        assert change == pytest.approx(
            float(response_db(stage.sections, np.array([hz]), rate_hz=RATE)[0]), abs=0.02
        )


@settings(max_examples=10, deadline=None)
@given(st.integers(1, 30), st.floats(-60, -10))
def test_silence_beside_a_sound_is_gated_away(pause_s, level_dbfs):
    """Loudness gates pauses out; RMS does not.

    Blocks that straddle the edge may pull it down a little.
    """
    tone = sine(1000, level_dbfs, 8.0)
    alone = integrated_lufs(tone, rate_hz=RATE)
    assert integrated_lufs(
        np.concatenate([tone, np.zeros(pause_s * RATE)]), rate_hz=RATE
    ) == pytest.approx(alone, abs=0.2)


def test_frames_and_seconds_cover_the_take_without_its_rest():
    sound = noise(0.1, 3.4567)
    assert len(frame_levels_dbfs(sound, rate_hz=RATE)) == 345
    assert len(peak_by_second_dbfs(sound, rate_hz=RATE)) == 3
    assert (
        peak_by_second_dbfs(sound, rate_hz=RATE).max() <= 20 * np.log10(np.abs(sound).max()) + 1e-9
    )
