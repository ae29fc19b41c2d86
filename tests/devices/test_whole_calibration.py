"""The whole calibration from a microphone of the system whose secret is known: the chain is the one
that the same sound gives as files."""

import numpy as np
import pytest
import soundfile

from obsidian_wren.service.setup import computer_changes
from obsidian_wren.service.takes import from_file, starting
from obsidian_wren.simulation.spec import BOATHOUSE, WorldSpec
from obsidian_wren.simulation.world import SimulatedRig
from private_server import PulseAudio
from rigging import change
from shown import overview, shows
from waiting import wait_until

SECONDS = {"rest": 8.0, "talk": 18.0, "passage": 26.0}


@pytest.mark.parametrize("sound_server", [PulseAudio], indirect=True)
def test_the_same_sound_gives_the_same_chain_as_from_files(open_own, plugged, app, tmp_path):
    rig = SimulatedRig(WorldSpec.model_validate_json(BOATHOUSE.read_text("utf-8")))
    sounds = {purpose: rig.take(purpose, seconds=lasts) for purpose, lasts in SECONDS.items()}
    desk = plugged(sounds["rest"])
    own, by_files = open_own(data=None), app
    assert shows(own, "rig").source == "system"
    wait_until(lambda: any(device.of_rig for device in shows(own, "computer").devices))
    computer_changes.choose_device(own, "desk")
    change(by_files, source="file")
    for purpose, sound in sounds.items():
        soundfile.write(tmp_path / "take.wav", sound, 48_000, subtype="FLOAT")
        from_file.keep_file(by_files, purpose, tmp_path / "take.wav", channel=None)
        desk.say(sound)
        starting.start(own, purpose, seconds=SECONDS[purpose])
        wait_until(lambda: shows(own, "progress") is None)
        assert shows(own, "takes")[-1].fault is None, shows(own, "takes")[-1].fault
    ours, files = overview(own), overview(by_files)
    assert {take.source for take in ours.takes} == {"system"}
    assert {take.source for take in files.takes} == {"file"}
    assert [stage.kind for stage in ours.stages if stage.on] == [
        stage.kind for stage in files.stages if stage.on
    ]
    assert ours.talk.active_level_dbfs == pytest.approx(files.talk.active_level_dbfs, abs=0.3)
    assert ours.quiet.a_weighted_dbfs == pytest.approx(files.quiet.a_weighted_dbfs, abs=0.5)
    found = {(each.stage, each.name): each for each in ours.settings if each.unit in ("dB", "dBFS")}
    compared = 0
    for each in files.settings:
        if each.unit in ("dB", "dBFS") and each.value is not None:
            there = found[each.stage, each.name].value
            assert there == pytest.approx(each.value, abs=1.5), (each.stage, each.name)
            compared += 1
    assert compared > 10
    highpass = {each.name: each.value for each in ours.settings if each.stage == "highpass"}
    theirs = {each.name: each.value for each in files.settings if each.stage == "highpass"}
    assert np.log2(highpass["frequency_hz"] / theirs["frequency_hz"]) == pytest.approx(0, abs=0.1)
