"""The job from an empty folder to a proof, through the services."""

import numpy as np
import pytest
import soundfile

from obsidian_wren.service import live
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live import living
from obsidian_wren.service.rig.computer_rows import RAW_NAME
from obsidian_wren.service.send import listeners
from obsidian_wren.service.setup import confirming, turning
from obsidian_wren.service.takes import discarding, from_file, keeping, simulated
from rigging import preamp, status, use_boathouse
from shown import overview, shows
from signals import RATE, noise, sine, voice
from voices import heard_by


def test_an_empty_folder_knows_nothing(app):
    shown = overview(app, "delivery", "diagram", "gain_plan", "quiet", "talk", "tone")
    assert status(app) == {
        "rig": "open",
        **dict.fromkeys(("quiet", "gain", "clean", "tone", "steady", "send", "prove"), "not yet"),
    }
    assert (
        shown.quiet,
        shown.talk,
        shown.gain_plan,
        shown.tone,
        shown.delivery,
        shown.diagram,
    ) == (None, None, None, None, None, [])


def test_steps_cannot_be_confirmed_on_nothing(app):
    for step in ("quiet", "gain", "clean", "tone", "steady", "send"):
        with pytest.raises(Refused, match=r"first|Send the marker"):
            confirming.confirm_step(app, step)


def test_the_whole_job(app):
    use_boathouse(app)
    confirming.confirm_step(app, "rig")
    simulated.start_simulated(app, "rest")
    assert status(app)["quiet"] == "open"
    assert shows(app, "quiet").hum.mains_hz == pytest.approx(49.98, abs=0.02)
    simulated.start_simulated(app, "talk")
    advice = shows(app, "gain_plan")
    assert advice.verdict == "up"
    before = shows(app, "talk").peak_dbfs
    turning.turn_knob(app, preamp(app) + advice.change_db)
    assert status(app)["quiet"] == status(app)["gain"] == "stale"
    assert "now" in next(step.why for step in shows(app, "steps") if step.name == "gain")
    simulated.start_simulated(app, "talk")
    after = overview(app, "gain_plan", "talk")
    assert after.talk.peak_dbfs == pytest.approx(before + advice.change_db, abs=1.0)
    assert -15 <= after.talk.peak_dbfs <= -10
    assert after.gain_plan.verdict == "stay"
    assert "prediction" in after.gain_plan.quiet_predicted
    predicted_snr = after.talk.snr_db
    simulated.start_simulated(app, "rest")
    simulated.start_simulated(app, "talk")
    assert shows(app, "talk").snr_db == pytest.approx(predicted_snr, abs=0.5)
    assert shows(app, "gain_plan").quiet_predicted is None
    confirming.confirm_step(app, "quiet")
    confirming.confirm_step(app, "gain")
    simulated.start_simulated(app, "passage")
    for step in ("clean", "tone", "steady"):
        confirming.confirm_step(app, step)
    shown = overview(app, "delivery", "diagram", "settings")
    assert [setting.stage for setting in shown.settings][:2] == ["hum", "hum"]
    assert shown.delivery.planned_lufs == pytest.approx(-18.0, abs=0.1)
    assert [point.name for point in shown.diagram] == [
        "mic",
        "converter",
        "cleaned",
        "equalized",
        "levelled",
        "to:call",
    ]
    done = {name: state for name, state in status(app).items() if name not in ("send", "prove")}
    assert done == dict.fromkeys(("rig", "quiet", "gain", "clean", "tone", "steady"), "confirmed")
    assert status(app)["prove"] == "open"


def test_the_diagram_is_the_chain_at_work(boathouse):
    by_name = {point.name: point for point in shows(boathouse, "diagram")}
    gain = preamp(boathouse)
    assert by_name["converter"].peak_dbfs - by_name["mic"].peak_dbfs == pytest.approx(
        gain, abs=0.02
    )
    # The call still picks the raw microphone, so it gets the converter's levels; the recorder gets
    # its mix.
    assert by_name["to:call"].peak_dbfs == by_name["converter"].peak_dbfs
    voice_in_it = next(
        s
        for d in shows(boathouse, "destinations")
        if d.key == "recorder"
        for s in d.mix.sends
        if s.source == "voice"
    )
    assert by_name["to:recorder"].voice_high_dbfs == pytest.approx(
        by_name["levelled"].voice_high_dbfs + voice_in_it.gain_db, abs=0.02
    )


def test_files_can_do_the_whole_job(app, tmp_path):
    use_boathouse(app, source="file")
    soundfile.write(
        tmp_path / "q.wav",
        noise(3e-4, 8.0, rate_hz=44_100) + sine(100, -70, 8.0, rate_hz=44_100),
        44_100,
        subtype="PCM_24",
    )
    soundfile.write(tmp_path / "t.flac", voice("talk", rate_hz=44_100), 44_100, subtype="PCM_24")
    soundfile.write(tmp_path / "p.flac", voice("passage"), RATE, subtype="PCM_24")
    for purpose, name in (("rest", "q.wav"), ("talk", "t.flac"), ("passage", "p.flac")):
        from_file.keep_file(app, purpose, tmp_path / name, channel=None)
    shown = overview(app, "delivery", "inputs")
    assert shown.delivery.planned_lufs == pytest.approx(-18.0, abs=0.1)
    living.start_run(app)
    listeners.pick_input(app, "call", "Wren: call")
    assert live.current(app).run.rate_hz == 44_100
    # The call runs at a rate of its own, and the edge converts.
    assert np.abs(heard_by(app, "call", 3)).max() > 0.05
    assert RAW_NAME in [entry.name for entry in shown.inputs]


def test_a_take_without_voice_is_kept_with_its_sentence_and_never_used(app):
    from obsidian_wren.store.parts import PartInfo

    info = PartInfo("talk", RATE, "browser", {"gain_db": None}, "2026-01-01T00:00:00+00:00")
    keeping.keep(app, info, noise(0.01, 6.0), half=False)
    shown = overview(app, "takes", "talk")
    assert "No voice was found" in shown.takes[0].fault
    assert not shown.takes[0].current
    assert shown.talk is None
    discarding.discard_take(app, shown.takes[0].id)
    assert shows(app, "takes") == []
