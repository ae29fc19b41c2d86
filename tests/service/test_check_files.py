"""``check``: what drifted since a calibration, on files."""

import json

import numpy as np
import pytest

from obsidian_wren.cli.main import main
from obsidian_wren.formats.calibration import BadCalibration
from obsidian_wren.formats.sounding import read_sounding, sounding_json
from obsidian_wren.formats.write_sound import write_sound
from obsidian_wren.service.files.checking import check_files
from obsidian_wren.simulation.spec import WorldSpec
from obsidian_wren.simulation.world import SimulatedRig

RATE = 48_000


def rig(**more):
    return SimulatedRig(WorldSpec.model_validate({"seed": 40, "interface": {"gain_db": 27}} | more))


def takes(folder, name, source, *, quiet=None):
    paths = folder / f"{name}-quiet.wav", folder / f"{name}-talk.wav"
    rest = source.take("rest", seconds=8.0) if quiet is None else quiet
    write_sound(paths[0], rest, rate_hz=source.rate_hz)
    write_sound(paths[1], source.take("passage", seconds=14.0), rate_hz=source.rate_hz)
    return paths


@pytest.fixture(scope="module")
def made(tmp_path_factory):
    """A folder with a calibration that knows its distance."""
    folder = tmp_path_factory.mktemp("check")
    quiet, talk = takes(folder, "then", rig(placement={"distance_m": 0.22}))
    out = folder / "calibration.json"
    arguments = ["--quiet", quiet, "--talk", talk, "--distance", "22", "--out", out]
    assert main(["plan", *map(str, arguments)]) == 0
    return folder


def checked(made, quiet, talk, *more):
    given = ["--calibration", made / "calibration.json", "--quiet", quiet, "--talk", talk, *more]
    return main(["check", *map(str, given)])


def test_the_same_rig_has_not_drifted(made, capsys):
    quiet, talk = takes(made, "same", rig(seed=41, placement={"distance_m": 0.22}))
    assert checked(made, quiet, talk) == 0
    assert "Nothing drifted" in capsys.readouterr().out
    assert checked(made, quiet, talk, "--json") == 0
    found = json.loads(capsys.readouterr().out)
    assert (found["drifted"], found["causes"]) == (False, [])
    assert found["readings"]["noise_floor_dbfs"]["unit"] == "dBFS"
    assert not any(row["moved"] for row in found["readings"].values())


def test_who_sits_farther_away_is_told_how_far(made, capsys):
    quiet, talk = takes(made, "far", rig(seed=41, placement={"distance_m": 0.29}))
    assert checked(made, quiet, talk, "--json") == 3
    found = json.loads(capsys.readouterr().out)
    first = found["causes"][0]
    assert (found["drifted"], first["code"], first["unit"]) == (True, "distance", "cm")
    assert first["estimate"] == pytest.approx(29.0, rel=0.1)
    assert first["sentence"].startswith("You sit farther from the microphone: 22 → 29")
    assert "22 cm" in first["action"]
    assert found["readings"]["active_level_dbfs"]["moved"]
    assert checked(made, quiet, talk) == 3
    assert "→ 29" in capsys.readouterr().out


def test_a_room_that_is_cut_to_silence_is_news_and_no_fault(made, capsys):
    gated = rig(seed=41, placement={"distance_m": 0.22})
    quiet, talk = takes(made, "cut", gated, quiet=np.zeros(8 * RATE))
    assert checked(made, quiet, talk, "--json") == 3
    found = json.loads(capsys.readouterr().out)
    assert found["causes"][0]["code"] == "processing"


def test_an_older_file_says_what_to_do(made, tmp_path):
    whole = json.loads((made / "calibration.json").read_text())
    quiet, talk = made / "then-quiet.wav", made / "then-talk.wav"
    older = tmp_path / "older.json"
    kept = whole["readings"].pop("check")
    older.write_text(json.dumps(whole))
    with pytest.raises(BadCalibration, match="Write it again with “obsidian-wren plan”"):
        check_files(older, quiet, talk)
    for spoiled in ({"voice_db": [1.0]}, {"noise_db": kept["noise_db"][:-1]}, {"rate_hz": None}):
        whole["readings"]["check"] = kept | spoiled
        older.write_text(json.dumps(whole))
        with pytest.raises(BadCalibration, match="are missing"):
            check_files(older, quiet, talk)


def test_takes_that_cannot_serve_are_refused(made, capsys):
    quiet, talk = made / "then-quiet.wav", made / "then-talk.wav"
    assert checked(made, talk, quiet) == 2
    assert "No voice was found" in capsys.readouterr().err
    assert checked(made, made / "none.wav", talk) == 2
    arguments = ["--quiet", quiet, "--talk", talk, "--distance", "0", "--out", made / "x.json"]
    assert main(["plan", *map(str, arguments)]) == 2
    assert "Give 1 to 500" in capsys.readouterr().err


def test_what_is_kept_comes_back_as_it_was(made):
    kept = json.loads((made / "calibration.json").read_text())["readings"]["check"]
    assert sounding_json(read_sounding(kept)) == kept
