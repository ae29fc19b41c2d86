"""Versions: one at every confirmation, named, compared, heard blind, brought back and away."""

import pytest

from obsidian_wren.service.calibration import settings, stages
from obsidian_wren.service.carry import comparing, versions
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.export.exporting import export_calibration
from obsidian_wren.service.prove import blind
from obsidian_wren.service.setup import confirming
from obsidian_wren.service.takes.simulated import start_simulated
from obsidian_wren.service.undo.put_back import redo, undo
from shown import overview, shows


def chain_of(app):
    return [
        (stage["key"], stage["on"], stage["settings"]) for stage in export_calibration(app)["chain"]
    ]


def nudged(app):
    settings.change_setting(app, "compressor", "ratio", value=3.5, band=None, pinned=True)
    stages.switch_stage(app, "lowpass", on=False)


def test_every_confirmation_makes_a_version_and_undo_takes_it_away(boathouse):
    before = len(shows(boathouse, "versions"))
    confirming.confirm_step(boathouse, "quiet")
    confirming.confirm_step(boathouse, "gain")
    seen = shows(boathouse, "versions")
    assert [one.step for one in seen[:2]] == ["gain", "quiet"]
    assert [one.number for one in seen[:2]] == [before + 2, before + 1]
    assert all(one.in_force for one in seen[:2])
    undo(boathouse)
    assert len(shows(boathouse, "versions")) == before + 1
    redo(boathouse)
    assert len(shows(boathouse, "versions")) == before + 2


def test_a_version_is_named_removed_and_put_back(boathouse):
    confirming.confirm_step(boathouse, "quiet")
    (newest, *_) = shows(boathouse, "versions")
    versions.describe_version(boathouse, newest.id, name=" Before the arm ", note="Old stand.")
    assert (
        shows(boathouse, "versions")[0].name,
        shows(boathouse, "versions")[0].note,
    ) == (
        "Before the arm",
        "Old stand.",
    )
    undo(boathouse)
    assert shows(boathouse, "versions")[0].name == ""
    redo(boathouse)
    versions.discard_version(boathouse, newest.id)
    assert newest.id not in [one.id for one in shows(boathouse, "versions")]
    undo(boathouse)
    assert shows(boathouse, "versions")[0].name == "Before the arm"
    with pytest.raises(Refused, match="no longer stored"):
        versions.describe_version(boathouse, 999, name="", note="")


def test_a_version_is_brought_back_to_the_last_digit_and_undone(boathouse):
    confirming.confirm_step(boathouse, "steady")
    (wanted, *_) = shows(boathouse, "versions")
    stood = chain_of(boathouse)
    nudged(boathouse)
    # A take that came after it, too.
    start_simulated(boathouse, "passage", pace="fast")
    start_simulated(boathouse, "clap", pace="fast")
    start_simulated(boathouse, "sentence", seconds=4, pace="fast")
    later = chain_of(boathouse)
    assert later != stood
    assert not shows(boathouse, "versions")[0].in_force
    versions.bring_back(boathouse, wanted.id)
    assert chain_of(boathouse) == stood
    seen = overview(boathouse, "takes", "versions")
    in_force = {one.number: one.in_force for one in seen.versions}
    assert (in_force[wanted.number], in_force[wanted.number + 1]) == (True, False)
    assert seen.versions[0].name == f"Before version {wanted.number}"
    assert not [take for take in seen.takes if take.current and take.stale]
    # A clap that came later is none of its takes; a sentence is beside all of them.
    purposes = {take.purpose for take in seen.takes}
    assert ("clap" in purposes, "sentence" in purposes) == (False, True)
    # What stands is not derived into something else.
    settings.fit_again(boathouse)
    assert chain_of(boathouse) == stood
    undo(boathouse)
    undo_to = chain_of(boathouse)
    assert undo_to == later
    redo(boathouse)
    assert chain_of(boathouse) == stood


def test_two_versions_say_what_differs(boathouse):
    confirming.confirm_step(boathouse, "steady")
    (then, *_) = shows(boathouse, "versions")
    same = comparing.compare_versions(boathouse, then.id, 0)
    assert same["settings"] == []
    assert set(same["db"]) == {0.0}
    nudged(boathouse)
    found = comparing.compare_versions(boathouse, then.id, 0)
    rows = {(row["stage"], row["setting"]): row for row in found["settings"]}
    assert rows["compressor", "Ratio"]["second"] == "3.5 :1"
    assert (rows["lowpass", ""]["first"], rows["lowpass", ""]["second"]) == ("on", "off")
    # Without the low-pass there is more of the highest tones, and nothing else of the tone moves.
    assert found["db"][-1] >= 0.0
    assert max(abs(db) for db in found["db"][:16]) < 0.1
    with pytest.raises(Refused, match="no longer stored"):
        comparing.compare_versions(boathouse, 999, 0)


def test_today_is_heard_blind_against_an_earlier_version_and_one_stage_of_it(boathouse):
    confirming.confirm_step(boathouse, "steady")
    (then, *_) = shows(boathouse, "versions")
    assert f"version:{then.id}" not in [pair.second for pair in shows(boathouse, "pairs")]
    nudged(boathouse)
    second = f"version:{then.id}"
    assert second in [pair.second for pair in shows(boathouse, "pairs")]
    for name in (second, f"stage:compressor@{then.id}"):
        blind.begin_series(boathouse, name, "which", 8)
        running = shows(boathouse, "series")
        assert f"version {then.number}" in running.question
        assert running.apart_lu <= 0.1
        blind.end_series(boathouse)
    for wrong in ("version:999", "version:x", "stage:compressor@999", "stage:nothing@1", "nothing"):
        with pytest.raises(Refused):
            blind.begin_series(boathouse, wrong, "prefer", 8)
