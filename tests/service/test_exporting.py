"""The calibration as a file, and sounds handed out."""

import numpy as np
import pytest
import soundfile

from obsidian_wren.service.export import exporting, sounds
from obsidian_wren.service.send import listeners
from shown import shows


def test_raw_and_treated_are_played_at_one_loudness(boathouse):
    import io

    from obsidian_wren.core.measure.loudness import integrated_lufs

    take = next(t for t in shows(boathouse, "takes") if t.purpose == "talk" and t.current)
    heard = {
        v: soundfile.read(io.BytesIO(sounds.hear_take(boathouse, take.id, v, matched=True)))
        for v in ("raw", "treated")
    }
    loud = {v: integrated_lufs(sound, rate_hz=rate) for v, (sound, rate) in heard.items()}
    assert loud["raw"] == pytest.approx(loud["treated"], abs=0.2)
    assert all(np.abs(sound).max() < 0.9 for sound, _ in heard.values())
    plain = soundfile.read(io.BytesIO(sounds.hear_take(boathouse, take.id, "raw", matched=False)))[
        0
    ]
    assert 20 * np.log10(np.abs(plain).max()) == pytest.approx(
        shows(boathouse, "talk").peak_dbfs, abs=0.05
    )


def test_the_exported_calibration_holds_every_mix_that_is_derived(boathouse):
    listeners.set_up(boathouse, "talk")
    feeds = exporting.export_calibration(boathouse)["feeds"]
    assert [feed["name"] for feed in feeds] == ["Wren: call", "Walk recorder", "Headphones"]
    for feed in feeds:
        shown = next(d for d in shows(boathouse, "destinations") if d.name == feed["listener"])
        assert feed["aim_lufs"] == shown.mix.aim_lufs
        assert feed["planned_lufs"] == pytest.approx(feed["aim_lufs"], abs=0.2)
        assert {s["source"] for s in feed["sends"]} == {s.source for s in shown.mix.sends}
        assert all(s["because"] for s in feed["sends"])
    assert feeds[0]["planned_floor_dbfs_a"] < -55.0
    assert [key for key, _ in feeds[0]["kept_out"]] == ["return-call"]


def test_the_exported_calibration_renders_like_the_program(boathouse, tmp_path):
    import json

    from obsidian_wren.cli import main as cli

    body = exporting.export_calibration(boathouse)
    (tmp_path / "c.json").write_text(json.dumps(body))
    take = next(t for t in shows(boathouse, "takes") if t.purpose == "talk" and t.current)
    with boathouse.sessions() as session:
        from obsidian_wren.store.models import Take
        from obsidian_wren.store.take_files import take_path

        path = take_path(boathouse.folder, session.get_one(Take, take.id).sha256)
    assert (
        cli.main(
            [
                "render",
                "--calibration",
                str(tmp_path / "c.json"),
                str(path),
                str(tmp_path / "o.wav"),
                "--json",
            ]
        )
        == 0
    )
    from obsidian_wren.core.measure.loudness import integrated_lufs

    sound, rate = soundfile.read(tmp_path / "o.wav")
    assert integrated_lufs(sound, rate_hz=rate) == pytest.approx(
        shows(boathouse, "delivery").planned_lufs, abs=0.05
    )
