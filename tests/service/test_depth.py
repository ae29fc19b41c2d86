"""Rig, Quiet and Gain through the services: kept things, undo, staleness and predictions, the dial, the parts of the floor, the audit."""

import json
import sqlite3

import numpy as np
import pytest
import soundfile
from alembic import command
from alembic.config import Config
from sqlalchemy import create_engine

from obsidian_wren.formats.response import read_rows
from obsidian_wren.formats.sound import BadSound
from obsidian_wren.service import calibrating, computers, deriving, exporting, history, responses, rigs, sending, taking, watching
from obsidian_wren.service import voice as chain
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.kept import RAW_NAME
from obsidian_wren.service.overview import overview
from obsidian_wren.service.views import BandValue, InterfaceFields, MicrophoneFields
from obsidian_wren.standins.spec import WorldSpec
from obsidian_wren.store.database import MIGRATIONS
from obsidian_wren.store.models import Rig
from rigging import INTERFACE, MICROPHONE, change, preamp, rig_fields, use_boathouse
from signals import RATE, noise, voice
from waiting import Clock, wait_until


def status(ws):
    return {step.name: step.status for step in overview(ws).steps}


def setting(ws, stage, name):
    return next(s for s in overview(ws).settings if (s.stage, s.name) == (stage, name))


def test_things_are_kept_and_used_again_in_several_rigs(boathouse):
    ws = boathouse
    heron = rigs.keep_thing(ws, "microphone", MicrophoneFields(name="Heron 2", kind="dynamic", pattern="cardioid"), None)
    assert overview(ws).rig.microphone_id == heron
    assert status(ws)["quiet"] == "stale"
    rigs.add_rig(ws, "Loft, standing")
    change(ws, distance_cm=40)
    reedling = next(m.id for m in overview(ws).microphones if m.name == "Reedling 40")
    assert [rig.name for rig in overview(ws).rigs] == ["Loft desk", "Loft, standing"]
    assert overview(ws).takes == []
    rigs.use_rig(ws, overview(ws).rigs[0].id)
    assert overview(ws).rig.distance_cm == 22
    change(ws, microphone_id=reedling)
    assert status(ws)["quiet"] == "settled"
    with pytest.raises(Refused, match="part of the rig “Loft, standing”"):
        rigs.remove_thing(ws, "microphone", heron)
    rigs.remove_rig(ws, overview(ws).rigs[1].id)
    rigs.remove_thing(ws, "microphone", heron)
    assert [m.name for m in overview(ws).microphones] == ["Reedling 40"]
    with pytest.raises(Refused, match="in hand"):
        rigs.remove_rig(ws, overview(ws).rig.id)


def test_a_new_name_for_the_same_thing_leaves_nothing_stale(boathouse):
    rigs.keep_thing(boathouse, "microphone", MICROPHONE.model_copy(update={"name": "Reedling 41"}), overview(boathouse).rig.microphone_id)
    assert status(boathouse)["quiet"] == status(boathouse)["gain"] == "settled"
    assert overview(boathouse).derivable is None
    with pytest.raises(Refused, match="kept already"):
        rigs.keep_thing(boathouse, "microphone", MICROPHONE.model_copy(update={"name": "Reedling 41"}), None)


def seen(ws):
    """Everything that a person decides, as the page shows it."""
    shown = overview(ws)
    fields = ("rig", "rigs", "microphones", "interfaces", "rooms", "controls", "computer", "settings", "destinations", "takes")
    # What is derived from them follows by one press, so whether cleaning and chain are stale is not decided.
    settled = {s.name: "open" if s.name in ("clean", "steady") and s.status == "stale" else s.status for s in shown.steps}
    return {name: getattr(shown, name) for name in fields} | {"settled": settled}


CHANGES = {
    "settle": lambda ws: calibrating.settle_step(ws, "tone"),
    "distance": lambda ws: change(ws, distance_cm=15),
    "knob": lambda ws: rigs.turn(ws, "preamp", 40.0),
    "pad": lambda ws: rigs.turn(ws, "pad", 1.0),
    "slider": lambda ws: rigs.turn(ws, "slider", 70.0),
    "thing": lambda ws: rigs.switch_thing(ws, "heater", False),
    "aim": lambda ws: change(ws, aim_low_dbfs=-20, aim_high_dbfs=-16),
    "microphone": lambda ws: rigs.keep_thing(ws, "microphone", MicrophoneFields(name="Heron 2", kind="dynamic", pattern="omni"), None),
    "interface data": lambda ws: rigs.keep_thing(
        ws, "interface", INTERFACE.model_copy(update={"pad_db": 20}), overview(ws).rig.interface_id
    ),
    "rig": lambda ws: rigs.add_rig(ws, "Another"),
    "pin": lambda ws: calibrating.change_setting(ws, "highpass", "frequency_hz", value=120.0, band=None, pinned=True),
    "band": lambda ws: calibrating.change_setting(
        ws, "equalizer", "band-2", value=None, band=BandValue(shape="peak", frequency_hz=3000, gain_db=2, q=1), pinned=True
    ),
    "discard": lambda ws: taking.discard_take(ws, next(t.id for t in overview(ws).takes if t.purpose == "talk" and t.current)),
    "sound settings": lambda ws: computers.change_device(ws, "in-3", "enhancements", True),
    "name": lambda ws: computers.name_device(ws, "in-3", "Loft mic"),
    "unplug": lambda ws: computers.unplug(ws, "in-3"),
    "pick": lambda ws: sending.pick_input(ws, "call", "Wren: call"),
    "response": lambda ws: rigs.attach_response(ws, "r.txt", [[20.0, -6.0], [1000.0, 0.0], [20000.0, 3.0]]),
}


def test_every_change_can_be_undone_and_made_again(boathouse):
    ws = boathouse
    overview(ws)
    assert overview(ws).undo is None
    states = [seen(ws)]
    for make in CHANGES.values():
        make(ws)
        states.append(seen(ws))
        assert states[-1] != states[-2]
        # Another rig is in hand after one was added: come back, since the rest is about the first.
        if states[-1]["rig"].name == "Another":
            rigs.use_rig(ws, states[-1]["rigs"][0].id)
            states.append(seen(ws))
    for before in reversed(states[:-1]):
        history.undo(ws)
        assert seen(ws) == before
    assert overview(ws).undo is None
    with pytest.raises(Refused, match="nothing to undo"):
        history.undo(ws)
    assert overview(ws).redo.title
    for _ in states[1:]:
        history.redo(ws)
    assert overview(ws).redo is None
    assert seen(ws) == states[-1]


def test_a_new_change_ends_what_could_be_redone(boathouse):
    change(boathouse, distance_cm=15)
    history.undo(boathouse)
    assert overview(boathouse).redo.title == "Rig: distance"
    change(boathouse, distance_cm=30)
    assert overview(boathouse).redo is None


def test_undoing_a_pin_after_a_new_fit_lets_the_same_band_go(boathouse):
    ws = boathouse
    band = BandValue(shape="peak", frequency_hz=3000, gain_db=2, q=1)
    calibrating.change_setting(ws, "equalizer", "band-2", value=None, band=band, pinned=True)
    calibrating.fit_again(ws)
    assert any(s.band == band for s in overview(ws).settings)
    history.undo(ws)
    assert not any(s.pinned for s in overview(ws).settings)


def test_a_turned_knob_stales_levels_predicts_them_and_one_press_derives_again(boathouse):
    ws = boathouse
    before = overview(ws)
    gain = setting(ws, "compressor", "makeup_db").value
    rigs.turn(ws, "preamp", preamp(ws) - 5.0)
    shown = overview(ws)
    assert (status(ws)["quiet"], status(ws)["gain"], status(ws)["tone"]) == ("stale", "stale", "open")
    assert shown.steps[1].why == "Measured at 32 dB gain, now 27."
    assert shown.predictions["rest"].room_db == shown.predictions["talk"].voice_db == -5.0
    assert shown.derivable.startswith("the causes, the gain plan")
    moved = {point.name: point for point in shown.diagram}
    assert moved["converter"].predicted
    assert moved["converter"].peak_dbfs == pytest.approx(before.talk.peak_dbfs - 5.0, abs=0.05)
    assert moved["mic"].peak_dbfs == next(p.peak_dbfs for p in before.diagram if p.name == "mic")
    deriving.derive_again(ws)
    shown = overview(ws)
    assert shown.derivable is None
    assert "Predicted: -5 dB" in shown.gain_plan.predicted
    assert shown.gain_plan.change_db == pytest.approx(5.0, abs=1.0)
    assert setting(ws, "compressor", "makeup_db").value == pytest.approx(gain + 5.0, abs=0.15)
    predicted_peak = {p.name: p.peak_dbfs for p in shown.diagram}["converter"]
    # Still a prediction until the take is made again, which then agrees with it.
    assert status(ws)["gain"] == "stale"
    taking.start_simulated(ws, "talk")
    taking.start_simulated(ws, "rest")
    assert overview(ws).talk.peak_dbfs == pytest.approx(predicted_peak, abs=0.3)
    assert overview(ws).gain_plan.predicted is None
    assert setting(ws, "compressor", "makeup_db").value == pytest.approx(gain + 5.0, abs=0.5)


def test_a_moved_microphone_is_predicted_by_the_inverse_distance(boathouse):
    before = overview(boathouse)
    change(boathouse, distance_cm=44)
    shown = overview(boathouse)
    assert shown.predictions["talk"].voice_db == pytest.approx(-6.02, abs=0.01)
    assert shown.predictions["talk"].room_db == 0.0
    assert "+" not in shown.predictions["talk"].because
    # What cannot be known without a take stays stale: the tone is not derived from a guess.
    deriving.derive_again(boathouse)
    assert status(boathouse)["tone"] == "stale"
    taking.start_simulated(boathouse, "talk")
    found = overview(boathouse).talk.active_level_dbfs - before.talk.active_level_dbfs
    # Proximity and the room's own sound come on top of the direct sound's 6 dB.
    assert -10.0 < found < -5.0


def test_a_shock_mount_stales_the_room_in_use_only(boathouse):
    taking.start_simulated(boathouse, "in-use")
    change(boathouse, shock_mount=True)
    stale = {take.purpose for take in overview(boathouse).takes if take.current and take.stale}
    assert stale == {"in-use"}


def test_a_dial_is_learned_and_advice_is_spoken_in_its_numbers(workshop):
    ws = workshop
    use_boathouse(ws)
    rigs.keep_thing(ws, "interface", InterfaceFields(name="Staithe One", knob="dial", max_input_dbu=9), None)
    rigs.turn(ws, "preamp", 4.0)
    taking.start_simulated(ws, "talk")
    assert "Learn the dial" in next(m.because for m in overview(ws).gain_plan.moves if m.key == "preamp")
    for position in (2.0, 4.0, 6.0, 8.0):
        taking.start_simulated(ws, "dial", position=position)
    truth = dict(WorldSpec.model_validate_json(ws.world.default_spec).interface.dial_db)
    control = next(c for c in overview(ws).controls if c.key == "preamp")
    for position, gain, error in control.learned:
        assert gain == pytest.approx(truth[position] - truth[2.0], abs=0.3)
        assert error < 0.3
    assert control.position == 4.0
    plan = overview(ws).gain_plan
    assert plan.sentence.startswith("Turn the preamp from 4 to about 6¼")
    rigs.turn(ws, "preamp", next(m.target for m in plan.moves if m.key == "preamp"))
    assert "dial at 4, now" in next(step.why for step in overview(ws).steps if step.name == "gain")
    taking.start_simulated(ws, "talk")
    assert -15.5 <= overview(ws).talk.peak_dbfs <= -9.5


def test_the_slider_is_learned_too(boathouse):
    for position in (50.0, 100.0):
        taking.start_simulated(boathouse, "dial", position=position, learns="slider")
    control = next(c for c in overview(boathouse).controls if c.key == "slider")
    assert control.learned[-1][1] == pytest.approx(8.6, abs=0.3)
    assert control.position == 100.0
    with pytest.raises(Refused, match="at which mark"):
        taking.start_simulated(boathouse, "dial")


def test_a_steady_sound_that_was_none_keeps_its_sentence(workshop):
    use_boathouse(workshop, source="file")
    rigs.keep_thing(workshop, "interface", InterfaceFields(name="Staithe One", knob="dial"), None)

    def mark(position, level):
        facts = {"dial": position, "learns": "preamp", "interface": "Staithe One"}
        info = taking.take_files.PartInfo("dial", RATE, "file", facts, taking.now())
        taking.keep(workshop, info, noise(level, 5.0), half=False)

    mark(2.0, 0.01)
    mark(4.0, 0.001)
    assert "steady sound" in overview(workshop).takes[-1].fault


def test_the_parts_of_the_floor_are_told_apart(boathouse):
    ws = boathouse
    computers.change_device(ws, "in-3", "bits", 24)
    taking.start_simulated(ws, "rest")
    assert overview(ws).split is None
    taking.start_simulated(ws, "muted")
    assert "another gain" in overview(ws).split.missing
    with pytest.raises(Refused, match="at which gain"):
        taking.start_simulated(ws, "other-gain")
    taking.start_simulated(ws, "other-gain", position=6.0)
    assert preamp(ws) == 32.0
    split = overview(ws).split
    parts = {part.name: part for part in split.parts}
    assert split.dominant == "room"
    # −107 dBFS of converter noise, A-weighted 2.3 dB less over 24 kHz.
    assert parts["converter"].level_dbfs == pytest.approx(-107.0, abs=0.6)
    assert parts["microphone"].a_weighted_dbfs == pytest.approx(13 - 94 + 32 + 20 * np.log10(0.018 / 0.7746) - 9, abs=0.1)
    assert "not cost you noise" in split.meaning
    assert not overview(ws).gain_plan.floor_assumed
    rigs.turn(ws, "preamp", 40.0)
    assert overview(ws).split.stale


def test_the_noise_profile_is_kept_and_handed_out(boathouse):
    profile = exporting.export_calibration(boathouse)["readings"]["noise_profile"]
    assert len(profile["mean_db"]) == len(profile["spread_db"]) == profile["frame_samples"] // 2 + 1
    mean = 10 * np.log10(sum(10 ** (level / 10) for level in profile["mean_db"])) + 3.01
    assert mean == pytest.approx(overview(boathouse).quiet.rms_dbfs, abs=0.3)


def test_the_audit_clears_when_it_is_mended(boathouse):
    ws = boathouse
    codes = [finding.code for finding in overview(ws).computer.findings]
    assert codes == ["other-input", "rate", "loudspeakers", "bits"]
    for _ in codes:
        finding = overview(ws).computer.findings[0]
        computers.change_device(ws, finding.device_id, finding.field, finding.value)
    assert overview(ws).computer.findings == []
    computers.change_device(ws, "in-3", "enhancements", True)
    assert overview(ws).computer.findings[0].code == "enhancements"
    assert status(ws)["quiet"] == "stale"


def test_a_device_that_leaves_and_returns_is_recognised(boathouse):
    ws = boathouse
    computers.name_device(ws, "in-3", "Loft mic")
    assert overview(ws).destinations[0].picks == RAW_NAME
    computers.unplug(ws, "in-3")
    assert overview(ws).computer.findings[0].code == "gone"
    with pytest.raises(Refused, match="not plugged in"):
        computers.change_device(ws, "in-3", "bits", 24)
    computers.plug_in(ws, "in-3")
    back = next(d for d in overview(ws).computer.devices if d.of_rig)
    assert (back.present, back.own_name, back.id == "in-3", back.system_name == RAW_NAME) == (True, "Loft mic", False, False)
    assert overview(ws).destinations[0].picks == back.system_name
    assert "gone" not in [finding.code for finding in overview(ws).computer.findings]
    with pytest.raises(Refused, match="called “Loft mic” already"):
        computers.name_device(ws, next(d.id for d in overview(ws).computer.devices if d.kind == "webcam"), "Loft mic")
    with pytest.raises(Refused, match="no such device"):
        computers.unplug(ws, "in-3")


def test_enhancements_that_cut_the_room_away_are_named(boathouse):
    computers.change_device(boathouse, "in-3", "enhancements", True)
    taking.start_simulated(boathouse, "rest")
    assert "enhancements off" in overview(boathouse).takes[-1].fault


def write(path, text):
    path.write_text(text)
    return path


@pytest.mark.parametrize(
    "text",
    [
        "20 -6\n1000 0\n20000 3\n",
        "* made by hand\n20;-6,0;1\n1000;0,0;0\n20000;3,0;-5\n",
        "Hz,dB\n20,-6\n1000,0\n20000,3",
        "20\t-6\r\n1000\t0\r\n20000\t3",
    ],
)
def test_response_files_come_in_as_they_are_handed_out(boathouse, tmp_path, text):
    responses.import_response(boathouse, write(tmp_path / "x", text), "reedling.txt")
    microphone = overview(boathouse).microphones[0]
    assert microphone.response_name == "reedling.txt"
    assert microphone.response_points == [[20.0, -6.0], [1000.0, 0.0], [20000.0, 3.0]]
    name, exported = exporting.export_response(boathouse, "microphone")
    assert name == "Reedling 40.txt"
    assert [row[:2] for row in read_rows(write(tmp_path / "back", exported))] == microphone.response_points


def test_a_bad_row_is_named_by_its_line_and_nothing_changes(boathouse, tmp_path):
    for text, says in (
        ("20 -6\n1000 zero\n3 3\n", "line 2"),
        ("20 -6\n1000 0\n", "2 usable rows"),
        ("20 1\n20 2\n30 1\n", "stands there twice"),
    ):
        with pytest.raises(BadSound, match=says):
            responses.import_response(boathouse, write(tmp_path / "x", text), "x.txt")
    assert overview(boathouse).microphones[0].response_name is None


def test_a_response_file_leaves_tone_stale_and_is_used_by_the_next_fit(boathouse):
    ws = boathouse
    before = [s.band for s in overview(ws).settings if s.band]
    rows = [[float(hz), 6.0 * float(np.exp(-(np.log2(hz / 3000.0) ** 2)))] for hz in np.geomspace(20, 20_000, 60)]
    rigs.attach_response(ws, "r.txt", rows)
    assert "response file" in next(step.why for step in overview(ws).steps if step.name == "tone")
    deriving.derive_again(ws)
    assert status(ws)["tone"] == "open"
    assert [s.band for s in overview(ws).settings if s.band] != before
    rigs.detach_response(ws)
    deriving.derive_again(ws)
    assert [s.band for s in overview(ws).settings if s.band] == before


def test_the_exported_correction_is_what_the_chain_does(boathouse, tmp_path):
    from obsidian_wren.core.chain.engine import render

    rows = read_rows(write(tmp_path / "c.txt", exporting.export_response(boathouse, "correction")[1]))
    with boathouse.sessions() as session:
        specs = chain.tone_specs(session, session.get_one(Rig, 1))
    for hz, db in rows[::20]:
        tone = np.sin(2 * np.pi * hz * np.arange(RATE) / RATE)
        treated = render(specs, tone, rate_hz=RATE)[RATE // 2 :]
        assert 10 * np.log10(np.mean(treated**2) * 2) == pytest.approx(db, abs=0.1)


def frames(listener):
    found = [listener.get_nowait() for _ in range(listener.qsize())]
    return [body for kind, body in found if kind == "frame"]


def test_the_hunt_shows_what_fell(boathouse):
    ws = boathouse
    told = ws.bus.listen()
    watching.start_watch(ws, "rest")
    wait_until(lambda: told.qsize() > 60)
    before = frames(told)[-1]
    assert before["a_weighted_dbfs"] == pytest.approx(overview(ws).quiet.a_weighted_dbfs, abs=1.5)
    rigs.switch_thing(ws, "heater", False)
    wait_until(lambda: told.qsize() > 60)
    after = frames(told)[-1]
    assert after["a_weighted_dbfs"] < before["a_weighted_dbfs"] - 3.0
    low = after["bands_hz"].index(40)
    assert after["bands_dbfs"][low] < before["bands_dbfs"][low] - 8.0
    watching.stop_watch(ws)
    assert not overview(ws).watch.on
    with pytest.raises(Refused, match="no “kettle”"):
        rigs.switch_thing(ws, "kettle", False)


def test_frames_come_twenty_times_a_second_at_the_pace_of_sound(boathouse, monkeypatch):
    clock = Clock()
    monkeypatch.setattr(watching, "time", clock)
    told = boathouse.bus.listen()
    began = clock.now
    watching.start_watch(boathouse, "talk")
    wait_until(lambda: told.qsize() >= 100)
    watching.stop_watch(boathouse)
    # Whatever it is that is told beside the frames, and the block that is on its way.
    assert len(frames(told)) == pytest.approx(20 * (clock.now - began), abs=3)


def test_listening_needs_something_to_listen_to(workshop):
    with pytest.raises(Refused, match="opened by the page"):
        watching.start_watch(workshop, "rest")
    change(workshop, source="file")
    with pytest.raises(Refused, match="files"):
        watching.start_watch(workshop, "rest")
    with pytest.raises(Refused, match="Nobody listens"):
        watching.push_watch(workshop, np.zeros(100))


def test_the_browsers_microphone_can_be_listened_to(workshop):
    told = workshop.bus.listen()
    watching.start_watch(workshop, "rest", browser_rate_hz=RATE)
    sound = noise(1e-3, 3.0)
    for k in range(0, len(sound), 4800):
        watching.push_watch(workshop, sound[k : k + 4800])
    wait_until(lambda: told.qsize() > 45)
    assert frames(told)[-1]["level_dbfs"] == pytest.approx(-57.0, abs=0.6)
    watching.stop_watch(workshop)


def test_talk_ends_by_itself_when_it_is_known(boathouse):
    taking.start_simulated(boathouse, "talk", until_steady=True)
    take = overview(boathouse).takes[-1]
    assert 12 < take.seconds < 80
    assert "known to ±0." in take.ended


def test_a_take_of_the_browser_says_when_it_has_enough(workshop):
    take_id = taking.start_browser(workshop, "talk", rate_hz=RATE, seconds=90, not_obeyed=[], until_steady=True)
    sound = voice("passage")
    enough = False
    for number in range(len(sound) // 12_000):
        enough = taking.add_piece(workshop, take_id, number, sound[number * 12_000 : (number + 1) * 12_000])
        if enough:
            break
    assert enough
    progress = overview(workshop).progress
    assert progress.steady.steady
    assert progress.steady.active_error_db <= 0.5
    taking.stop_take(workshop)
    assert "nine times in ten" in overview(workshop).takes[0].ended


def test_the_microphone_on_the_second_input_is_found(workshop):
    use_boathouse(workshop)
    with workshop.sessions.begin() as session:
        rig = session.get_one(Rig, overview(workshop).rig.id)
        spec = json.loads(rig.spec_json)
        spec["interface"]["layout"] = "second"
        rig.spec_json = json.dumps(spec)
    computers.change_device(workshop, "in-3", "bits", 24)
    taking.start_simulated(workshop, "rest")
    shown = overview(workshop)
    assert "your microphone is on channel 2" in shown.takes[0].notes[0]
    assert shown.causes.causes[0].code == "wrong-channel"
    assert shown.quiet.rms_dbfs > -75


def test_the_loudest_and_softest_shape_the_plan(boathouse):
    taking.start_simulated(boathouse, "loud")
    taking.start_simulated(boathouse, "soft")
    shown = overview(boathouse)
    assert shown.gain_plan.expected_loudest_dbfs <= -3.0
    assert shown.gain_plan.expected_headroom_db == pytest.approx(-shown.gain_plan.expected_loudest_dbfs)
    assert shown.gain_plan.expected_softest_dbfs < shown.gain_plan.expected_talk_dbfs - 8
    change(boathouse, aim_low_dbfs=-30, aim_high_dbfs=-26)
    assert overview(boathouse).gain_plan.change_db < -10
    with pytest.raises(Refused, match="lower end under its upper"):
        rigs.change_rig(boathouse, rig_fields(boathouse, aim_low_dbfs=-8, aim_high_dbfs=-20))


def test_controls_stay_in_their_ranges(boathouse):
    for control, position in (("slider", 101.0), ("pad", 2.0), ("preamp", 95.0)):
        with pytest.raises(Refused, match="goes from"):
            rigs.turn(boathouse, control, position)
    rigs.keep_thing(boathouse, "interface", INTERFACE.model_copy(update={"pad_db": None}), overview(boathouse).rig.interface_id)
    with pytest.raises(Refused, match="no pad"):
        rigs.turn(boathouse, "pad", 1.0)


def test_a_folder_of_the_first_version_opens_with_its_takes_read_anew(tmp_path, workshop_over):
    """Tables as the first migration made them, a take in them: after opening, the take is there with a reading and its things are kept."""
    from obsidian_wren.store.folder import DataFolder
    from obsidian_wren.store.take_files import keep_take

    folder = DataFolder(tmp_path / "old")
    digest = keep_take(folder, noise(1e-3, 6.0), rate_hz=RATE)
    engine = create_engine(f"sqlite:///{folder.database}")
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    config.attributes["engine"] = engine
    command.upgrade(config, "0001")
    engine.dispose()
    with sqlite3.connect(folder.database) as tables:
        rig = (1, "Boathouse loft", "Reedling 40", "condenser", "cardioid", "Towpath Two", 22, 20, 48_000, 18, 9, "file", "{}", 3.0)
        tables.execute(f"INSERT INTO rig VALUES ({','.join('?' * len(rig))})", rig)
        take = (1, 1, "rest", digest, RATE, 6 * RATE, "file", 3.0, 22, 20, 0, "[]", None, "2026-01-01T00:00:00+00:00")
        tables.execute(f"INSERT INTO take VALUES ({','.join('?' * len(take))})", take)
        tables.execute("INSERT INTO settled VALUES (1, 'quiet', '{}', '2026-01-01T00:00:00+00:00')")
    folder.close()
    shown = overview(workshop_over(tmp_path / "old"))
    assert shown.quiet.rms_dbfs == pytest.approx(-56.99, abs=0.02)
    assert (shown.microphones[0].name, shown.interfaces[0].name, shown.rooms[0].name) == ("Reedling 40", "Towpath Two", "Boathouse loft")
    assert shown.rig.distance_cm == 22
    assert shown.steps[1].status == "settled"


def test_files_of_several_channels_tell_fake_stereo(workshop, tmp_path):
    change(workshop, source="file")
    sound = noise(1e-3, 6.0)
    soundfile.write(tmp_path / "s.wav", np.column_stack([sound, sound]), RATE, subtype="PCM_24")
    taking.keep_file(workshop, "rest", tmp_path / "s.wav", channel=None)
    shown = overview(workshop)
    assert "same sound" in shown.takes[0].notes[0]
    assert [cause.code for cause in shown.causes.causes if cause.code == "fake-stereo"]
