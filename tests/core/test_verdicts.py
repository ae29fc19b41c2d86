"""Marks stand where their limits say, and numbers are written as people read them."""

import math

import pytest

from obsidian_wren.core import numerals
from obsidian_wren.core.derive import verdicts
from obsidian_wren.core.derive.aims import Aims
from obsidian_wren.core.derive.landing import Landing
from obsidian_wren.core.derive.noise_reduction import NoiseEvidence
from obsidian_wren.core.measure.artefacts import SpeechLoss
from obsidian_wren.core.mix.block import MOST_LOAD, load_mark

AIMS = Aims(loudness_lufs=-18.0, tolerance_lu=0.5, peaks_dbfs=(-10.0, -5.0), ceiling_dbtp=-3.0)
GOOD = Landing(-18.2, -3.0, -7.0, 6.0, -62.0, -61.0, 2.0, 1.0)


def marks(landing):
    return {fact.name: fact.mark for fact in verdicts.steady_facts(landing, AIMS, raw_lufs=-30.0)}


def test_a_voice_on_its_targets_is_good_throughout():
    assert set(marks(GOOD).values()) == {"good"}


@pytest.mark.parametrize(
    ("field", "value", "name"),
    [
        ("loudness_lufs", -18.51, "Loudness"),
        ("loudness_lufs", None, "Loudness"),
        ("true_peak_dbtp", -2.9, "True peak"),
        ("peaks_dbfs", -4.9, "Normal peaks"),
        ("peaks_dbfs", math.nan, "Normal peaks"),
        ("range_lu", 8.1, "Loudness range"),
        ("lift_db", 6.1, "Noise in pauses"),
        ("floor_dbfs_a", -58.9, "Noise floor at the listener"),
        ("beside_voice_dbfs_a", -58.9, "Noise floor at the listener"),
    ],
)
def test_one_number_off_its_target_is_one_fault(field, value, name):
    fields = {**vars(GOOD), field: value}
    found = marks(Landing(**fields))
    assert [fact for fact, mark in found.items() if mark == "fault"] == [name]


def noise(**more):
    usual = {
        "floor_dbfs_a": -55.0,
        "floor_after_dbfs_a": -60.4,
        "in_pauses_dbfs_a": -62.0,
        "aim_dbfs_a": -60.0,
        "hz": (),
        "density_db": (),
        "spread_db": (),
        "loss": SpeechLoss(4000.0, 0.4),
        "restless_before_db": 2.0,
        "restless_after_db": 2.5,
    }
    return verdicts.noise_facts(NoiseEvidence(**{**usual, **more}))


def test_noise_reduction_is_marked_by_the_floor_and_by_what_it_takes():
    assert [fact.mark for fact in noise()] == ["good", "good"]
    assert noise(floor_after_dbfs_a=-59.4)[0].mark == "good"
    assert noise(floor_after_dbfs_a=-58.9)[0].mark == "fault"
    assert noise(in_pauses_dbfs_a=-58.9)[0].mark == "fault"
    assert noise(floor_after_dbfs_a=math.nan)[0].mark == "fault"
    assert noise(loss=SpeechLoss(4000.0, 1.1))[1].mark == "fault"
    assert len(noise(loss=None)) == 1
    assert "no warbling" in noise()[1].sentence
    assert "may warble" in noise(restless_after_db=3.0)[1].sentence


def test_a_remaining_error_inside_what_is_unknown_is_good():
    def mark(rms_db):
        return verdicts.remaining_error(
            rms_db=rms_db,
            uncertainty_db=1.5,
            worst_db=3.0,
            low_hz=100.0,
            high_hz=10000.0,
            voiced_s=20.0,
            passages=2,
            bands=5,
            most_bands=8,
            left_alone="",
        ).mark

    assert (mark(1.5), mark(1.6)) == ("good", "fault")


def test_a_mix_is_marked_by_its_loudness_and_by_the_voice_over_the_rest():
    def found(lufs, over):
        facts = verdicts.mix_facts(
            lufs=lufs, aim_lufs=-18.0, tolerance_lu=0.5, voice_over_lu=over, least_over_lu=11.5
        )
        return [fact.mark for fact in facts]

    assert found(-18.5, 11.5) == ["good", "good"]
    assert found(-18.6, 11.4) == ["fault", "fault"]
    assert found(None, None) == []


def test_trends_and_hum_are_told_where_they_stand_out():
    assert "wanders" in verdicts.trend_sentence(-1.0, 0.4)
    assert "no trend" in verdicts.trend_sentence(0.8, 0.4)
    assert "too short" in verdicts.trend_sentence(3.0, None)
    assert "wandered by 0.03 Hz" in verdicts.hum_sentence(5, 0.03)
    assert verdicts.hum_sentence(5, 0.02) == "5 lines."
    assert "No harmonics" in verdicts.hum_sentence(None, 0.0)


def test_what_a_cause_is_worth():
    assert verdicts.worth(lowers_db=3.0, spoils=True) == "fix first"
    assert verdicts.worth(lowers_db=None, spoils=False) == ""
    assert verdicts.worth(lowers_db=20.0, spoils=False) == "all of it"
    assert verdicts.worth(lowers_db=0.9, spoils=False) == "under 1 dB"
    assert verdicts.worth(lowers_db=2.34, spoils=False) == "−2.3 dB"


def test_a_run_without_reserve_is_marked():
    assert (load_mark(MOST_LOAD), load_mark(MOST_LOAD + 0.01)) == ("good", "fault")


def test_numbers_are_written_as_people_read_them():
    assert numerals.plain(-17.25) in ("−17.2", "−17.3")
    assert numerals.plain(-0.04) == "0.0"
    assert numerals.plain(None) == numerals.plain(math.inf) == "unknown"
    assert [numerals.signed(v) for v in (3.0, -0.5, 0.01)] == ["+3.0", "−0.5", "0.0"]
    assert numerals.with_unit(-3.0, "dBTP") == "−3.0 dBTP"
    assert numerals.with_unit(None, "dBTP") == numerals.with_sign(math.nan, "dB") == "unknown"
    assert [numerals.frequency(hz) for hz in (80.0, 999.0, 4200.0, 10000.0)] == [
        "80 Hz",
        "999 Hz",
        "4.2 kHz",
        "10 kHz",
    ]
