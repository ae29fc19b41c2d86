"""The live run: markers, listeners that fail, settings that change under it."""

import numpy as np
import pytest
import soundfile

from obsidian_wren.service import live
from obsidian_wren.service.calibration import settings
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.export import sounds
from obsidian_wren.service.live import living
from obsidian_wren.service.live import recording as live_recording
from obsidian_wren.service.recording import recording
from obsidian_wren.service.send import listeners, proving
from obsidian_wren.service.setup import confirming
from rigging import status
from shown import shows
from signals import RATE
from voices import heard_by, program_of
from waiting import wait_until


def proof_of(app, key="call"):
    return next(d.proof for d in shows(app, "destinations") if d.key == key)


def test_the_marker_tells_raw_from_treated_and_then_proves(boathouse):
    app = boathouse
    with pytest.raises(Refused, match="Start live first"):
        proving.send_marker(app)
    living.start_run(app)
    proving.send_marker(app)
    wait_until(lambda: proof_of(app) is not None)
    first = proof_of(app).verdicts[0]
    assert first.code == "raw"
    assert "choose “Wren: call”" in first.advice
    with pytest.raises(Refused, match="0 of 1 listeners are proved"):
        confirming.confirm_step(app, "send")
    listeners.pick_input(app, "call", "Wren: call")
    assert proof_of(app).stale
    assert status(app)["send"] == "stale"
    proving.send_marker(app)
    wait_until(lambda: proof_of(app).good)
    shown = proof_of(app)
    assert [v.code for v in shown.verdicts] == ["treated"]
    # What is ours, and the call's jitter buffer of 20 ms.
    assert shown.delay_ms == pytest.approx(shown.ours_ms + 20.0, abs=0.6)
    delay = next(d.delay for d in shows(app, "destinations") if d.key == "call")
    assert shown.ours_ms == pytest.approx(delay.total_ms, abs=0.6)
    # The marker's 300 to 3400 Hz see the chain's gain and what the equalizer does there.
    assert shown.level_db == pytest.approx(
        next(s.value for s in shows(app, "settings") if s.name == "makeup_db"), abs=4.0
    )
    confirming.confirm_step(app, "send")
    assert status(app)["send"] == "confirmed"


def test_a_recording_holds_the_treated_voice(boathouse):
    app = boathouse
    with pytest.raises(Refused, match="Start live first"):
        live_recording.start_recording(app)
    living.start_run(app)
    recording.choose_tracks(app, ["treated"], "flac", None, None)
    live_recording.start_recording(app, purpose="River walk")
    with pytest.raises(Refused, match="already"):
        live_recording.start_recording(app)
    heard_by(app, "call", 20)
    live_recording.stop_recording(app)
    shown = shows(app, "recordings")[0]
    assert (shown.title, shown.track, shown.part) == ("River walk", "treated voice", 1)
    assert shown.seconds > 5
    assert shown.true_peak_dbtp <= -3.0
    path, name = sounds.recording_file(app, shown.id)
    assert name.endswith("River walk treated voice.flac")
    sound, rate = soundfile.read(path)
    assert rate == RATE
    assert len(sound) == pytest.approx(shown.seconds * RATE, abs=0.06 * RATE)
    assert max(shown.waveform) == pytest.approx(np.abs(sound).max(), abs=0.01)


def test_a_listener_that_fails_does_not_silence_the_others(boathouse, monkeypatch):
    app = boathouse
    living.start_run(app)
    told = app.bus.listen()

    def full(block):
        raise OSError("no space left on device")

    monkeypatch.setattr(program_of(app, "headphones"), "hear", full)
    heard_by(app, "call", 2)
    assert live.current(app).run.stopped_why is None
    heard = [told.get_nowait() for _ in range(told.qsize())]
    assert (
        sum(kind == "trouble" and "Headphones failed" in body["sentence"] for kind, body in heard)
        == 1
    )


def test_settings_change_under_a_live_run_without_a_click(boathouse):
    app = boathouse
    living.start_run(app)
    listeners.pick_input(app, "call", "Wren: call")
    heard_by(app, "call", 1)
    start = program_of(app, "call").position
    settings.change_setting(app, "gain", "gain_db", value=0.0, band=None, pinned=True)
    wait_until(lambda: program_of(app, "call").position > start + 4 * RATE)
    heard = program_of(app, "call").heard_since(start)
    # A click would be a step far above what speech of this level does from one sample to the next.
    assert np.abs(np.diff(heard)).max() < 0.4
    assert live.current(app).run.stopped_why is None
