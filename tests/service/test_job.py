"""The job through the services: from an empty folder to a proof, on the simulated boathouse."""

import numpy as np
import pytest
import soundfile

from obsidian_wren.service import calibrating, exporting, listening, living, proving, recording, rigs, sending, taking
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.kept import RAW_NAME
from obsidian_wren.service.overview import overview
from obsidian_wren.service.views import BandValue
from rigging import change, preamp, use_boathouse
from signals import RATE, noise, sine, voice
from waiting import wait_until


def status(ws):
    return {step.name: step.status for step in overview(ws).steps}


def test_an_empty_folder_knows_nothing(workshop):
    shown = overview(workshop)
    assert status(workshop) == {"rig": "open", **dict.fromkeys(("quiet", "gain", "clean", "tone", "steady", "send"), "not yet")}
    assert (shown.quiet, shown.talk, shown.gain_plan, shown.tone, shown.delivery, shown.diagram) == (None, None, None, None, None, [])


def test_steps_cannot_be_settled_on_nothing(workshop):
    for step in ("quiet", "gain", "clean", "tone", "steady", "send"):
        with pytest.raises(Refused, match=r"first|Send the marker"):
            calibrating.settle_step(workshop, step)


def test_the_whole_job(workshop):
    ws = workshop
    use_boathouse(ws)
    calibrating.settle_step(ws, "rig")
    taking.start_simulated(ws, "rest")
    assert status(ws)["quiet"] == "open"
    assert overview(ws).quiet.hum.mains_hz == pytest.approx(49.98, abs=0.02)
    taking.start_simulated(ws, "talk")
    advice = overview(ws).gain_plan
    assert advice.verdict == "up"
    before = overview(ws).talk.peak_dbfs
    rigs.turn_knob(ws, preamp(ws) + advice.change_db)
    assert status(ws)["quiet"] == status(ws)["gain"] == "stale"
    assert "now" in next(step.why for step in overview(ws).steps if step.name == "gain")
    taking.start_simulated(ws, "talk")
    after = overview(ws)
    assert after.talk.peak_dbfs == pytest.approx(before + advice.change_db, abs=1.0)
    assert -15 <= after.talk.peak_dbfs <= -10
    assert after.gain_plan.verdict == "settled"
    assert "prediction" in after.gain_plan.quiet_predicted
    predicted_snr = after.talk.snr_db
    taking.start_simulated(ws, "rest")
    taking.start_simulated(ws, "talk")
    assert overview(ws).talk.snr_db == pytest.approx(predicted_snr, abs=0.5)
    assert overview(ws).gain_plan.quiet_predicted is None
    calibrating.settle_step(ws, "quiet")
    calibrating.settle_step(ws, "gain")
    taking.start_simulated(ws, "passage")
    for step in ("clean", "tone", "steady"):
        calibrating.settle_step(ws, step)
    shown = overview(ws)
    assert [setting.stage for setting in shown.settings][:2] == ["highpass", "highpass"]
    assert shown.delivery.planned_lufs == pytest.approx(-18.0, abs=0.1)
    assert [point.name for point in shown.diagram] == [
        "mic",
        "converter",
        "cleaned",
        "toned",
        "steadied",
        "to:call",
    ]
    assert {name: state for name, state in status(ws).items() if name != "send"} == dict.fromkeys(
        ("rig", "quiet", "gain", "clean", "tone", "steady"), "settled"
    )


def test_the_diagram_is_the_chain_at_work(boathouse):
    by_name = {point.name: point for point in overview(boathouse).diagram}
    gain = preamp(boathouse)
    assert by_name["converter"].peak_dbfs - by_name["mic"].peak_dbfs == pytest.approx(gain, abs=0.02)
    # The call still picks the raw microphone, so it gets the converter's levels; the recorder gets its mix.
    assert by_name["to:call"].peak_dbfs == by_name["converter"].peak_dbfs
    voice_in_it = next(s for d in overview(boathouse).destinations if d.key == "recorder" for s in d.mix.sends if s.source == "voice")
    assert by_name["to:recorder"].voice_high_dbfs == pytest.approx(by_name["steadied"].voice_high_dbfs + voice_in_it.gain_db, abs=0.02)


def test_pins_survive_a_new_fit_and_let_go(boathouse):
    ws = boathouse
    bands = [s for s in overview(ws).settings if s.stage == "equalizer"]
    chosen = bands[0]
    pinned = BandValue(shape="peak", frequency_hz=3000, gain_db=2.0, q=1.0)
    calibrating.change_setting(ws, "equalizer", chosen.name, value=None, band=pinned, pinned=True)
    found = next(s for s in overview(ws).settings if s.band and s.pinned)
    assert found.band == pinned
    assert found.derived_band == chosen.derived_band
    assert "You set this" in found.because
    calibrating.fit_again(ws)
    again = next(s for s in overview(ws).settings if s.band and s.pinned)
    assert again.band == pinned
    calibrating.change_setting(ws, "equalizer", again.name, value=None, band=None, pinned=False)
    assert not any(s.pinned for s in overview(ws).settings)


def test_a_nudged_highpass_changes_the_evidence(boathouse):
    before = overview(boathouse).tone
    calibrating.change_setting(boathouse, "highpass", "frequency_hz", value=150.0, band=None, pinned=True)
    after = overview(boathouse).tone
    at = after.points_hz.index(min(after.points_hz, key=lambda hz: abs(hz - 105)))
    assert after.corrected_db[at] < before.corrected_db[at] - 2
    with pytest.raises(Refused, match="from 20 to 200"):
        calibrating.change_setting(boathouse, "highpass", "frequency_hz", value=900.0, band=None, pinned=True)


def test_a_new_room_leaves_the_fit_stale_until_fitted_again(boathouse):
    calibrating.settle_step(boathouse, "tone")
    taking.start_simulated(boathouse, "rest")
    assert status(boathouse)["tone"] == "stale"
    calibrating.fit_again(boathouse)
    assert status(boathouse)["tone"] == "settled"


def test_a_moved_microphone_leaves_everything_stale(boathouse):
    change(boathouse, distance_cm=15)
    assert [status(boathouse)[step] for step in ("quiet", "gain", "tone")] == ["stale"] * 3


def test_moving_the_microphone_really_moves_it_in_the_simulated_world(boathouse):
    before = overview(boathouse).talk
    change(boathouse, distance_cm=11)
    taking.start_simulated(boathouse, "talk")
    after = overview(boathouse).talk
    # Half the distance: 6 dB more direct sound, and the proximity boost of the bass on top.
    assert 5 < after.active_level_dbfs - before.active_level_dbfs < 10
    assert after.snr_db > before.snr_db + 5


def proof_of(ws, key="call"):
    return next(d.proof for d in overview(ws).destinations if d.key == key)


def heard_by(ws, key, seconds):
    start = ws.programs[key].position
    wait_until(lambda: ws.programs[key].position > start + seconds * RATE)
    return ws.programs[key].heard_since(start)


def test_the_marker_tells_raw_from_treated_and_then_proves(boathouse):
    ws = boathouse
    with pytest.raises(Refused, match="Start live first"):
        proving.send_marker(ws)
    living.start_run(ws)
    proving.send_marker(ws)
    wait_until(lambda: proof_of(ws) is not None)
    first = proof_of(ws).verdicts[0]
    assert first.code == "raw"
    assert "pick “Wren: call”" in first.advice
    with pytest.raises(Refused, match="0 of 1 listeners are proved"):
        calibrating.settle_step(ws, "send")
    sending.pick_input(ws, "call", "Wren: call")
    assert proof_of(ws).stale
    assert status(ws)["send"] == "stale"
    proving.send_marker(ws)
    wait_until(lambda: proof_of(ws).good)
    shown = proof_of(ws)
    assert [v.code for v in shown.verdicts] == ["treated"]
    # What is ours, and the call's jitter buffer of 20 ms.
    assert shown.delay_ms == pytest.approx(shown.ours_ms + 20.0, abs=0.6)
    delay = next(d.delay for d in overview(ws).destinations if d.key == "call")
    assert shown.ours_ms == pytest.approx(delay.total_ms - delay.block_ms, abs=0.6)
    # The marker's 300 to 3400 Hz see the chain's gain and what the equalizer does there.
    assert shown.level_db == pytest.approx(next(s.value for s in overview(ws).settings if s.name == "makeup_db"), abs=4.0)
    calibrating.settle_step(ws, "send")
    assert status(ws)["send"] == "settled"


def test_a_recording_holds_the_treated_voice(boathouse):
    ws = boathouse
    with pytest.raises(Refused, match="Start live first"):
        recording.start_recording(ws)
    living.start_run(ws)
    recording.choose_tracks(ws, ["treated"], "flac", None, None)
    recording.start_recording(ws, purpose="River walk")
    with pytest.raises(Refused, match="already"):
        recording.start_recording(ws)
    heard_by(ws, "call", 20)
    recording.stop_recording(ws)
    shown = overview(ws).recordings[0]
    assert (shown.title, shown.track, shown.part) == ("River walk", "treated voice", 1)
    assert shown.seconds > 5
    assert shown.true_peak_dbtp <= -3.0
    path, name = listening.recording_file(ws, shown.id)
    assert name.endswith("River walk treated voice.flac")
    sound, rate = soundfile.read(path)
    assert rate == RATE
    assert len(sound) == pytest.approx(shown.seconds * RATE, abs=0.06 * RATE)
    assert max(shown.waveform) == pytest.approx(np.abs(sound).max(), abs=0.01)


def test_a_listener_that_fails_does_not_silence_the_others(boathouse, monkeypatch):
    ws = boathouse
    living.start_run(ws)
    told = ws.bus.listen()

    def full(block):
        raise OSError("no space left on device")

    monkeypatch.setattr(ws.programs["headphones"], "hear", full)
    heard_by(ws, "call", 2)
    assert ws.run.stopped_why is None
    heard = [told.get_nowait() for _ in range(told.qsize())]
    assert sum(kind == "trouble" and "Headphones failed" in body["sentence"] for kind, body in heard) == 1


def test_settings_change_under_a_live_run_without_a_click(boathouse):
    ws = boathouse
    living.start_run(ws)
    sending.pick_input(ws, "call", "Wren: call")
    heard_by(ws, "call", 1)
    start = ws.programs["call"].position
    calibrating.change_setting(ws, "gain", "gain_db", value=0.0, band=None, pinned=True)
    wait_until(lambda: ws.programs["call"].position > start + 4 * RATE)
    heard = ws.programs["call"].heard_since(start)
    # A click would be a step far above what speech of this level does from one sample to the next.
    assert np.abs(np.diff(heard)).max() < 0.4
    assert ws.run.stopped_why is None


def test_raw_and_treated_are_played_at_one_loudness(boathouse):
    import io

    from obsidian_wren.core.measure.loudness import integrated_lufs

    take = next(t for t in overview(boathouse).takes if t.purpose == "talk" and t.current)
    heard = {v: soundfile.read(io.BytesIO(listening.hear_take(boathouse, take.id, v, matched=True))) for v in ("raw", "treated")}
    loud = {v: integrated_lufs(sound, rate_hz=rate) for v, (sound, rate) in heard.items()}
    assert loud["raw"] == pytest.approx(loud["treated"], abs=0.2)
    assert all(np.abs(sound).max() < 0.9 for sound, _ in heard.values())
    plain = soundfile.read(io.BytesIO(listening.hear_take(boathouse, take.id, "raw", matched=False)))[0]
    assert 20 * np.log10(np.abs(plain).max()) == pytest.approx(overview(boathouse).talk.peak_dbfs, abs=0.05)


def test_the_exported_calibration_holds_every_mix_that_is_derived(boathouse):
    sending.set_up(boathouse, "talk")
    feeds = exporting.export_calibration(boathouse)["feeds"]
    assert [feed["name"] for feed in feeds] == ["Wren: call", "Walk recorder", "Headphones"]
    for feed in feeds:
        shown = next(d for d in overview(boathouse).destinations if d.name == feed["listener"])
        assert feed["aim_lufs"] == shown.mix.aim_lufs
        assert feed["planned_lufs"] == pytest.approx(feed["aim_lufs"], abs=0.2)
        assert {s["source"] for s in feed["sends"]} == {s.source for s in shown.mix.sends}
        assert all(s["because"] for s in feed["sends"])
    assert feeds[0]["planned_floor_dbfs_a"] < -55.0
    assert [key for key, _ in feeds[0]["kept_out"]] == ["return-call"]


def test_the_exported_calibration_renders_like_the_program(boathouse, tmp_path):
    import json

    from obsidian_wren import cli

    body = exporting.export_calibration(boathouse)
    (tmp_path / "c.json").write_text(json.dumps(body))
    take = next(t for t in overview(boathouse).takes if t.purpose == "talk" and t.current)
    with boathouse.sessions() as session:
        from obsidian_wren.store.models import Take
        from obsidian_wren.store.take_files import take_path

        path = take_path(boathouse.folder, session.get_one(Take, take.id).sha256)
    assert cli.main(["render", "--calibration", str(tmp_path / "c.json"), str(path), str(tmp_path / "o.wav"), "--json"]) == 0
    from obsidian_wren.core.measure.loudness import integrated_lufs

    sound, rate = soundfile.read(tmp_path / "o.wav")
    assert integrated_lufs(sound, rate_hz=rate) == pytest.approx(overview(boathouse).delivery.planned_lufs, abs=0.05)


def test_files_can_do_the_whole_job(workshop, tmp_path):
    use_boathouse(workshop, source="file")
    soundfile.write(tmp_path / "q.wav", noise(3e-4, 8.0, rate_hz=44_100) + sine(100, -70, 8.0, rate_hz=44_100), 44_100, subtype="PCM_24")
    soundfile.write(tmp_path / "t.flac", voice("talk", rate_hz=44_100), 44_100, subtype="PCM_24")
    soundfile.write(tmp_path / "p.flac", voice("passage"), RATE, subtype="PCM_24")
    for purpose, name in (("rest", "q.wav"), ("talk", "t.flac"), ("passage", "p.flac")):
        taking.keep_file(workshop, purpose, tmp_path / name, channel=None)
    shown = overview(workshop)
    assert shown.delivery.planned_lufs == pytest.approx(-18.0, abs=0.1)
    living.start_run(workshop)
    sending.pick_input(workshop, "call", "Wren: call")
    assert workshop.run.rate_hz == 44_100
    # The call runs at a rate of its own, and the edge converts.
    assert np.abs(heard_by(workshop, "call", 3)).max() > 0.05
    assert RAW_NAME in [entry.name for entry in shown.inputs]


def test_a_take_without_voice_is_kept_with_its_sentence_and_never_used(workshop):
    from obsidian_wren.store.take_files import PartInfo

    info = PartInfo("talk", RATE, "browser", {"gain_db": None}, "2026-01-01T00:00:00+00:00")
    taking.keep(workshop, info, noise(0.01, 6.0), half=False)
    shown = overview(workshop)
    assert "No voice was found" in shown.takes[0].fault
    assert not shown.takes[0].current
    assert shown.talk is None
    taking.discard_take(workshop, shown.takes[0].id)
    assert overview(workshop).takes == []
