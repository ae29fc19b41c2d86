"""Takes are judged before a plan believes them: what the command line says, and when it stops."""

import json

import numpy as np
import pytest
import soundfile

from obsidian_wren.cli import main as cli
from obsidian_wren.core.chain.equalizer import EqualizerSpec
from obsidian_wren.core.chain.filters import EqualizerBand
from obsidian_wren.core.chain.offline import render
from obsidian_wren.core.derive.equalizer_problem import eq_response_db
from signals import RATE, noise, room, voice

FLOOR = 2e-4
COLOUR = (EqualizerBand("peak", 300.0, 6.0, 0.9), EqualizerBand("peak", 3500.0, -5.0, 0.8))


@pytest.fixture
def plan(tmp_path, capsys):
    """Plan from sounds ``(n,)``: the exit code, the JSON answer or None, and standard error."""

    def go(quiet, talk, *more, **files):
        arguments = ["plan", "--out", str(tmp_path / "c.json"), *more]
        for name, sound in {"quiet": quiet, "talk": talk, **files}.items():
            path = tmp_path / f"{name}.wav"
            soundfile.write(path, sound, RATE, subtype="PCM_24")
            arguments += [f"--{name}", str(path)]
        code = cli.main([*arguments, "--json"])
        out, err = capsys.readouterr()
        return code, json.loads(out) if code == 0 else None, err

    return go


def talk(floor=FLOOR, seed=3):
    sound = voice("passage")[: 30 * RATE]
    return sound + room(floor, len(sound) / RATE, seed=seed)


def stage(plan, kind):
    return next(entry for entry in plan["chain"] if entry["kind"] == kind)


def warned(plan):
    return [warning["code"] for warning in plan["warnings"]]


def test_good_takes_are_planned_without_a_warning(plan):
    code, found, err = plan(room(FLOOR), talk())
    assert (code, warned(found), err) == (0, [], "")


def test_a_quiet_take_at_another_gain_is_moved_to_that_of_the_talk(plan):
    _, whole, _ = plan(room(FLOOR), talk())
    _, found, _ = plan(room(FLOOR * 10 ** (-15 / 20), seed=8), talk())
    assert warned(found) == ["floor_mismatch"]
    assert set(found["warnings"][0]) == {"code", "sentence", "action"}
    snr = whole["readings"]["talk"]["snr_db"]
    assert found["readings"]["talk"]["snr_db"] == pytest.approx(snr, abs=1.5)
    for kind in ("gate", "noise_reduction"):
        assert stage(found, kind)["on"] == stage(whole, kind)["on"]


def test_a_slam_asks_for_no_noise_reduction(plan):
    slammed = room(FLOOR)
    slammed[5 * RATE : 5 * RATE + RATE // 3] += noise(0.2, 1 / 3)
    _, whole, _ = plan(room(FLOOR), talk())
    _, found, _ = plan(slammed, talk())
    assert warned(found) == ["burst_in_quiet"]
    assert "4." in found["warnings"][0]["sentence"]
    assert stage(found, "noise_reduction")["on"] == stage(whole, "noise_reduction")["on"]
    landed = [entry["feeds"][0]["planned_floor_dbfs_a"] for entry in (whole, found)]
    assert landed[1] == pytest.approx(landed[0], abs=0.5)


def test_a_fan_that_runs_only_while_talking_is_in_the_promised_floor(plan):
    fan = noise(0.003, 30.0, seed=6)
    fan = np.convolve(fan, np.ones(40) / 40**0.5, mode="same")
    _, found, _ = plan(room(FLOOR), talk() + fan[: len(talk())])
    assert warned(found) == ["floor_mismatch"]
    used = found["readings"]["in_use"]["rms_dbfs"]
    assert used == pytest.approx(10 * np.log10(2 * np.mean(fan**2)), abs=2.0)


def test_a_finding_that_makes_the_answer_wrong_stops_unless_told(plan):
    gated = room(FLOOR)
    for second in range(0, 15, 2):
        gated[second * RATE : (second + 1) * RATE] = 0.0
    code, _, err = plan(gated, talk())
    assert code == 2
    assert "noise removal" in err and "--anyway" in err
    code, found, err = plan(gated, talk(), "--anyway")
    assert (code, err) == (0, "")
    assert "gated_quiet" in warned(found)


def test_swapped_takes_say_so(plan):
    code, _, err = plan(talk(), room(FLOOR))
    assert code == 2
    assert "swapped" in err
    assert plan(talk(), talk())[0] == 2
    assert plan(talk(), talk(), "--anyway")[0] == 0


def test_a_reference_take_tells_the_rig_whole(plan):
    """The same voice through a microphone that is trusted: what remains is at most 0.25 dB rms
    from 160 Hz to 7 kHz."""
    coloured = render([EqualizerSpec(COLOUR)], talk(), rate_hz=RATE)
    _, found, _ = plan(room(FLOOR), coloured, reference=talk(seed=12))
    bands = [
        EqualizerBand(band["shape"], band["frequency_hz"], band["gain_db"], band["q"])
        for band in stage(found, "equalizer")["settings"]["bands"]["value"]
    ]
    hz = np.geomspace(160, 7000, 200)
    left = eq_response_db([*bands, *COLOUR], hz, rate_hz=RATE)
    assert np.std(left) <= 0.25


def test_shaping_the_voice_is_asked_for_in_percent(plan):
    _, plain, _ = plan(room(FLOOR), talk())
    _, shaped, _ = plan(room(FLOOR), talk(), "--shape", "100")
    few, many = (
        len(stage(each, "equalizer")["settings"]["bands"]["value"]) for each in (plain, shaped)
    )
    assert many > few
    code, _, err = plan(room(FLOOR), talk(), "--shape", "120")
    assert code == 2 and "0 to 100" in err
