"""Two microphones on two inputs, and two rigs: what is found, taken over, and heard blind."""

import numpy as np
import pytest
import soundfile

from obsidian_wren.core.prove.relative import delay_and_polarity
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.export.exporting import export_calibration
from obsidian_wren.service.page.prove import with_rig
from obsidian_wren.service.prove import blind
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.service.setup import second_microphone, things
from obsidian_wren.service.takes import from_file
from obsidian_wren.service.takes.simulated import start_simulated
from obsidian_wren.service.undo.put_back import undo
from obsidian_wren.store.models import Series
from rigging import change
from shown import overview, shows
from signals import RATE, noise
from waiting import wait_until


def recorded(app):
    start_simulated(app, "both", pace="fast")
    wait_until(lambda: shows(app, "progress") is None)
    return shows(app, "two")


def microphone(app):
    return export_calibration(app)["rig"]["microphone"]["name"]


def test_both_inputs_are_recorded_compared_and_one_is_recommended(boathouse):
    found = recorded(boathouse)
    assert (found.first, found.second) == ("Reedling 40", "Deck 7")
    assert len(found.bands) == 22
    # The second is brighter around 5 kHz, by its specification and the first's.
    by_hz = {round(band.hz): band.db for band in found.bands}
    assert max(by_hz, key=lambda hz: by_hz[hz] or -99.0) in range(4000, 6400)
    titles = [one.title for one in found.said]
    assert titles[0] in ("Take Deck 7", "Take Reedling 40", "Either will do")
    assert any(title.startswith("Polarity same, +0.0") for title in titles)
    second_microphone.name_second(boathouse, found.take_id, "Deck 9")
    renamed = shows(boathouse, "two")
    assert renamed.second == "Deck 9"
    assert any("Deck 9" in one.sentence + one.title for one in renamed.said)


def test_the_second_goes_into_the_rig_and_what_stood_on_the_first_is_outdated(boathouse):
    found = recorded(boathouse)
    stood = microphone(boathouse)
    second_microphone.use_second(boathouse, found.take_id)
    seen = overview(boathouse, "steps", "takes")
    assert microphone(boathouse) == "Deck 7"
    stale = {take.purpose for take in seen.takes if take.current and take.stale}
    assert {"talk", "passage"} <= stale
    assert next(step for step in seen.steps if step.name == "tone").status == "stale"
    undo(boathouse)
    assert microphone(boathouse) == stood
    with pytest.raises(Refused, match="Record both again"):
        second_microphone.use_second(boathouse, 999)


def test_the_second_is_fitted_to_sound_like_the_first(boathouse):
    found = recorded(boathouse)
    second_microphone.sound_like_first(boathouse, found.take_id)
    seen = overview(boathouse, "takes", "preferences")
    assert seen.preferences.target.kind == "reference take"
    assert [take.purpose for take in seen.takes[-4:]] == ["rest", "talk", "reference", "passage"]
    assert not any(take.fault for take in seen.takes)
    # The second is brighter around 5 kHz, so its equalizer lowers what lies there.
    chain = {stage["key"]: stage for stage in export_calibration(boathouse)["chain"]}
    bands = chain["equalizer"]["settings"]["bands"]["value"]
    high = [band["gain_db"] for band in bands if 3000 < band["frequency_hz"] < 9000]
    assert min(high) < -1.0


def test_two_microphones_are_heard_blind_in_step_and_equally_loud(boathouse):
    found = recorded(boathouse)
    second = f"both:{found.take_id}"
    assert second in [pair.second for pair in shows(boathouse, "pairs")]
    blind.begin_series(boathouse, second, "prefer", 8)
    running = shows(boathouse, "series")
    assert running.title == "Reedling 40 against Deck 7"
    assert running.apart_lu <= 0.1
    with boathouse.sessions() as session:
        series = session.query(Series).one()
        heard = blind._pair(in_hand(boathouse, session), series)[0]
    # In step to the sample, so that the way of the sound tells nothing.
    assert abs(delay_and_polarity(heard.first, heard.second, rate_hz=RATE)[0]) <= 1.0
    for k in range(8):
        blind.answer_series(boathouse, k, "same")
    (ended,) = shows(boathouse, "ended_series")
    assert ended.title == "Reedling 40 against Deck 7"
    assert ended.leave_off is None


def test_files_say_why_they_hold_no_two_microphones(boathouse, tmp_path):
    change(boathouse, source="file")
    sound = noise(0.01, 20.0)
    wide = {
        "one channel": sound,
        "noise only": np.column_stack([sound, noise(1e-6, 20.0)]),
        "this is one microphone": np.column_stack([sound, sound]),
    }
    for sentence, samples in wide.items():
        soundfile.write(tmp_path / "both.wav", samples, RATE, subtype="PCM_24")
        with pytest.raises(Refused, match=sentence):
            from_file.keep_file(boathouse, "both", tmp_path / "both.wav", channel=None)
    assert shows(boathouse, "two") is None


def test_another_rig_is_compared_by_its_own_takes(boathouse):
    change(boathouse, distance_cm=20)
    first = shows(boathouse, "rig")
    things.add_rig(boathouse, "Far")
    with pytest.raises(Refused, match="no room or no sentence"):
        with_rig(boathouse, first.id)
    change(boathouse, distance_cm=45)
    start_simulated(boathouse, "rest", pace="fast")
    start_simulated(boathouse, "passage", pace="fast")
    (other,) = shows(boathouse, "rigs_beside")
    found = with_rig(boathouse, other.id)
    assert (found.first, found.second, found.take_id) == ("Far", first.name, None)
    assert found.better == "second"
    assert found.said[0].title == f"Take {first.name}"
    with pytest.raises(Refused, match="no longer stored"):
        with_rig(boathouse, shows(boathouse, "rig").id)
