"""Sound of several channels."""

import json

import numpy as np
import soundfile

from obsidian_wren.service.setup import (
    computer_changes,
)
from obsidian_wren.service.takes import from_file, simulated
from obsidian_wren.store.models import Rig
from rigging import (
    change,
    use_boathouse,
)
from shown import overview, shows
from signals import RATE, noise


def test_the_microphone_on_the_second_input_is_found(app):
    use_boathouse(app)
    with app.sessions.begin() as session:
        rig = session.get_one(Rig, shows(app, "rig").id)
        spec = json.loads(rig.spec_json)
        spec["interface"]["layout"] = "second"
        rig.spec_json = json.dumps(spec)
    computer_changes.change_device(app, "in-3", "bits", 24)
    simulated.start_simulated(app, "rest")
    shown = overview(app, "causes", "quiet", "takes")
    assert "your microphone is on channel 2" in shown.takes[0].notes[0]
    assert shown.causes.causes[0].code == "wrong-channel"
    assert shown.quiet.rms_dbfs > -75


def test_files_of_several_channels_tell_fake_stereo(app, tmp_path):
    change(app, source="file")
    sound = noise(1e-3, 6.0)
    soundfile.write(tmp_path / "s.wav", np.column_stack([sound, sound]), RATE, subtype="PCM_24")
    from_file.keep_file(app, "rest", tmp_path / "s.wav", channel=None)
    shown = overview(app, "causes", "takes")
    assert "same sound" in shown.takes[0].notes[0]
    assert [cause.code for cause in shown.causes.causes if cause.code == "fake-stereo"]
