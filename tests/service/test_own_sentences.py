"""A sentence to hear oneself by: nothing stands on it, and the last ten are kept."""

from obsidian_wren.service.export import sounds
from obsidian_wren.service.export.exporting import export_calibration
from obsidian_wren.service.takes.simulated import start_simulated
from shown import overview, shows


def test_the_last_ten_sentences_are_kept_and_nothing_stands_on_them(boathouse):
    stood = export_calibration(boathouse)["chain"]
    steps = [(step.name, step.status) for step in shows(boathouse, "steps")]
    for _ in range(12):
        start_simulated(boathouse, "sentence", seconds=4, pace="fast")
    seen = overview(boathouse, "steps", "takes")
    said = [take for take in seen.takes if take.purpose == "sentence"]
    assert len(said) == 10
    assert not any(take.fault or take.stale for take in said)
    assert said[0].id == said[-1].id - 9
    raw, treated = (
        sounds.hear_take(boathouse, said[-1].id, version, matched=True)
        for version in ("raw", "treated")
    )
    assert len(raw) == len(treated)
    assert raw != treated
    assert export_calibration(boathouse)["chain"] == stood
    assert [(step.name, step.status) for step in seen.steps] == steps
