import copy
import json
import subprocess
import sys

import numpy as np
import pytest
import soundfile

from obsidian_wren.cli import main as cli
from obsidian_wren.core.chain.kinds import KINDS
from obsidian_wren.core.chain.sequence import default_sequence
from obsidian_wren.core.measure.loudness import integrated_lufs
from obsidian_wren.core.numerals import plain
from signals import RATE, noise, room, sine, voice


@pytest.fixture(scope="module")
def takes(tmp_path_factory):
    """A quiet and a talk file as anyone's recorder would write them."""
    folder = tmp_path_factory.mktemp("takes")
    soundfile.write(folder / "quiet.wav", room(), RATE, subtype="PCM_24")
    talk = voice("passage") + room(seconds=len(voice("passage")) / RATE, seed=5)
    soundfile.write(folder / "talk.flac", talk, RATE, subtype="PCM_24")
    return folder


@pytest.fixture(scope="module")
def planned(takes):
    """The calibration of those files, and the talk through all of it."""
    chain, whole = takes / "planned.json", takes / "whole.wav"
    quiet, talk = str(takes / "quiet.wav"), str(takes / "talk.flac")
    assert (
        cli.main(["plan", "--quiet", quiet, "--talk", talk, "--shape", "100", "--out", str(chain)])
        == 0
    )
    assert cli.main(["render", "--calibration", str(chain), talk, str(whole)]) == 0
    return json.loads(chain.read_text()), soundfile.read(whole)[0]


def run(capsys, *arguments):
    code = cli.main([str(a) for a in arguments])
    out, err = capsys.readouterr()
    return code, out, err


def ask(capsys, *arguments):
    code, out, err = run(capsys, *arguments, "--json")
    assert code == 0, err
    return json.loads(out)


@pytest.mark.parametrize(
    "ending, subtype, rate, channels",
    [
        ("wav", "PCM_U8", 8_000, 1),
        ("wav", "PCM_16", 44_100, 2),
        ("wav", "PCM_32", 192_000, 1),
        ("wav", "FLOAT", 48_000, 8),
        ("flac", "PCM_24", 96_000, 1),
        ("aiff", "PCM_16", 22_050, 1),
        ("ogg", "VORBIS", 48_000, 1),
    ],
)
def test_level_of_every_kind_of_file(tmp_path, capsys, ending, subtype, rate, channels):
    path = tmp_path / f"tone.{ending}"
    tone = sine(997, -20.0, 3.0, rate_hz=rate)
    soundfile.write(path, np.stack([tone] * channels, axis=1), rate, subtype=subtype)
    found = ask(capsys, "read", "level", path)
    tolerance = 0.3 if subtype in ("PCM_U8", "VORBIS") else 0.05
    assert found["rms_dbfs"] == pytest.approx(-20.0, abs=tolerance)
    assert found["rate_hz"] == rate
    # K-weighting lifts 997 Hz by 0.69 dB and the offset takes it off again: LUFS is AES17 level
    # less 3.01 dB.
    assert found["loudness_lufs"] == pytest.approx(-23.01, abs=0.1 + tolerance)


def test_the_channel_is_chosen(tmp_path, capsys):
    path = tmp_path / "pair.wav"
    soundfile.write(
        path, np.stack([sine(500, -40, 3), sine(500, -20, 3)], axis=1), RATE, subtype="PCM_24"
    )
    assert ask(capsys, "read", "level", path, "--channel", 2)["rms_dbfs"] == pytest.approx(
        -20.0, abs=0.02
    )
    assert ask(capsys, "read", "level", path)["rms_dbfs"] == pytest.approx(-40.0, abs=0.02)


def test_json_names_are_those_of_the_design(takes, capsys):
    level = ask(capsys, "read", "level", takes / "talk.flac")
    assert {
        "rms_dbfs",
        "a_weighted_dbfs",
        "peak_dbfs",
        "true_peak_dbtp",
        "percentiles_dbfs",
        "loudness_lufs",
        "loudness_range_lu",
        "flat_tops",
    } <= set(level)
    assert set(level["percentiles_dbfs"]) == {"p10", "p50", "p90", "p99"}
    quiet = ask(capsys, "read", "quiet", takes / "quiet.wav")
    assert {"rms_dbfs", "a_weighted_dbfs", "third_octaves", "hum", "tones", "transients"} <= set(
        quiet
    )
    assert quiet["hum"] is None
    assert {"count", "per_minute", "peak_dbfs"} <= set(quiet["transients"])
    assert {"centre_hz", "level_dbfs"} == set(quiet["third_octaves"][0])
    talk = ask(capsys, "read", "talk", takes / "talk.flac", "--quiet", takes / "quiet.wav")
    assert {
        "active_level_dbfs",
        "activity",
        "pitch_hz",
        "snr_db",
        "flat_tops",
        "true_peak_dbtp",
    } <= set(talk)
    assert talk["snr_db"] == pytest.approx(talk["active_level_dbfs"] - quiet["rms_dbfs"], abs=0.02)


def test_silence_is_null_in_json(tmp_path, capsys):
    path = tmp_path / "nothing.wav"
    soundfile.write(path, np.zeros(4 * RATE), RATE)
    found = ask(capsys, "read", "level", path)
    assert found["rms_dbfs"] is None
    assert found["loudness_lufs"] is None


def test_plan_then_render_gives_what_was_planned(takes, tmp_path, capsys):
    out = tmp_path / "calibration.json"
    planned = ask(
        capsys, "plan", "--quiet", takes / "quiet.wav", "--talk", takes / "talk.flac", "--out", out
    )
    assert planned.pop("warnings") == []
    assert json.loads(out.read_text()) == planned
    assert planned["format"] == "obsidian-wren/calibration"
    kinds = [stage["kind"] for stage in planned["chain"]]
    assert list(dict.fromkeys(kinds)) == list(KINDS)
    # What stands beside the first of its kind is named where it has something to do.
    assert all(
        stage["on"]
        for stage in planned["chain"][kinds.index("gate") + 1 :]
        if stage["kind"] == "gate"
    )
    for stage in planned["chain"]:
        for setting in stage["settings"].values():
            assert set(setting) == {"value", "unit", "derived", "pinned", "because"}
            assert setting["because"]
    ask(capsys, "render", "--calibration", out, takes / "talk.flac", tmp_path / "out.flac")
    sound, rate = soundfile.read(tmp_path / "out.flac")
    feed = planned["feeds"][0]
    assert integrated_lufs(sound, rate_hz=rate) == pytest.approx(feed["planned_lufs"], abs=0.1)
    level = ask(capsys, "read", "level", tmp_path / "out.flac")
    assert level["true_peak_dbtp"] <= -3.0
    assert level["true_peak_dbtp"] == pytest.approx(feed["planned_true_peak_dbtp"], abs=0.1)


@pytest.mark.parametrize("kind", ["highpass", "equalizer", "lowpass", "compressor", "limiter"])
def test_a_stage_switched_off_in_the_file_is_off(takes, planned, tmp_path, capsys, kind):
    body, whole = copy.deepcopy(planned[0]), planned[1]
    next(stage for stage in body["chain"] if stage["kind"] == kind)["on"] = False
    out = tmp_path / "c.json"
    out.write_text(json.dumps(body))
    without = ask(
        capsys, "render", "--calibration", out, takes / "talk.flac", tmp_path / "without.wav"
    )
    assert kind not in without["stages"]
    assert {stage["kind"] for stage in body["chain"] if stage["on"]} == set(without["stages"])
    assert np.abs(whole - soundfile.read(tmp_path / "without.wav")[0]).max() > 1e-3


def test_a_plan_is_told_in_words(takes, tmp_path, capsys):
    code, out, err = run(
        capsys,
        "plan",
        "--quiet",
        takes / "quiet.wav",
        "--talk",
        takes / "talk.flac",
        "--out",
        tmp_path / "c.json",
    )
    assert (code, err) == (0, "")
    body = json.loads((tmp_path / "c.json").read_text())
    for stage in body["chain"]:
        if stage["kind"] == "equalizer":
            continue
        lines = [line for line in out.splitlines() if line.split()[0] == stage["kind"]]
        same = [other for other in body["chain"] if other["kind"] == stage["kind"]]
        assert len(lines) == sum(len(s["settings"]) if s["on"] else 1 for s in same)
        if not stage["on"]:
            assert f"{stage['kind']:24} off" in lines
        else:
            assert all(setting["because"] in out for setting in stage["settings"].values())
    bands = next(stage for stage in body["chain"] if stage["kind"] == "equalizer")["settings"][
        "bands"
    ]["value"]
    assert all(f"{band['frequency_hz']:.0f} Hz {band['gain_db']:+6.1f} dB" in out for band in bands)
    planned_lufs = body["feeds"][0]["planned_lufs"]
    assert planned_lufs == pytest.approx(-18.0, abs=0.2)
    assert f"Predicted for the feed: {plain(planned_lufs)} LUFS" in out


def test_render_works_at_another_rate(planned, tmp_path, capsys):
    out = tmp_path / "c.json"
    out.write_text(json.dumps(planned[0]))
    soundfile.write(
        tmp_path / "other.wav", voice("passage", rate_hz=44_100), 44_100, subtype="PCM_24"
    )
    done = ask(capsys, "render", "--calibration", out, tmp_path / "other.wav", tmp_path / "o.wav")
    assert done["rate_hz"] == 44_100
    assert done["loudness_lufs"] == pytest.approx(-18.0, abs=0.3)


def test_in_use_and_a_response_file_take_part(takes, tmp_path, capsys):
    used = tmp_path / "used.wav"
    soundfile.write(used, noise(2e-3, 15.0), RATE, subtype="PCM_24")
    response = tmp_path / "mic.txt"
    response.write_text("* a comment\n20\t-3.0\n1000;0\n9000, 2.5, 0\n20000 -8\n")
    plain = ask(
        capsys,
        "plan",
        "--quiet",
        takes / "quiet.wav",
        "--talk",
        takes / "talk.flac",
        "--out",
        tmp_path / "a.json",
    )
    both = ask(
        capsys,
        "plan",
        "--quiet",
        takes / "quiet.wav",
        "--talk",
        takes / "talk.flac",
        "--out",
        tmp_path / "b.json",
        "--in-use",
        used,
        "--mic-response",
        response,
    )
    assert both["readings"]["in_use"]["rms_dbfs"] > plain["readings"]["quiet"]["rms_dbfs"] + 15
    equalizer = default_sequence().index("equalizer")
    assert both["chain"][equalizer] != plain["chain"][equalizer]
    gate = both["chain"][default_sequence().index("gate")]
    assert gate["on"] and "noise floor in use" in gate["because"]
    response.write_text("20 0\n1000 zero\n")
    code, _, err = run(
        capsys,
        "plan",
        "--quiet",
        takes / "quiet.wav",
        "--talk",
        takes / "talk.flac",
        "--out",
        tmp_path / "d.json",
        "--mic-response",
        response,
    )
    assert code == 2
    assert "line 2" in err


def test_simulate_writes_the_same_take_twice(tmp_path, capsys):
    spec = tmp_path / "world.json"
    spec.write_text('{"seed": 3, "noises": [{"kind": "heater", "level_db_spl": 40}]}')
    for name in ("a.wav", "b.wav"):
        ask(capsys, "simulate", spec, "--take", "rest", "--seconds", "4", tmp_path / name)
    assert (tmp_path / "a.wav").read_bytes() == (tmp_path / "b.wav").read_bytes()
    assert len(soundfile.read(tmp_path / "a.wav")[0]) == 4 * RATE


def test_the_command_itself(takes):
    done = subprocess.run(
        [
            sys.executable,
            "-P",
            "-m",
            "obsidian_wren.cli",
            "read",
            "level",
            str(takes / "quiet.wav"),
            "--json",
        ],
        capture_output=True,
        text=True,
        check=True,
    )
    assert json.loads(done.stdout)["rms_dbfs"] == pytest.approx(-70.97, abs=0.02)
    wrong = subprocess.run(
        [sys.executable, "-P", "-m", "obsidian_wren.cli", "read", "level", "no-such-file.wav"],
        capture_output=True,
        text=True,
        check=False,
    )
    assert wrong.returncode == 2
    assert wrong.stdout == ""
    assert len(wrong.stderr.strip().splitlines()) == 1
