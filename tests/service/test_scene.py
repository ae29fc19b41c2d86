"""Who hears what: cases, routes that are refused, pins, clips, and a run that goes on after a
restart."""

import io

import numpy as np
import pytest
import soundfile
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import create_engine, text

from obsidian_wren.core.measure.loudness import integrated_lufs
from obsidian_wren.core.mix.block import BlockCost, buffer_ms
from obsidian_wren.core.mix.hum_cuts import steady_spectrum
from obsidian_wren.service import live
from obsidian_wren.service.calibration import stages
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.export import sounds
from obsidian_wren.service.live import living, pressing
from obsidian_wren.service.live import recording as live_recording
from obsidian_wren.service.mixes import clip_rows, clips, mixing, scene
from obsidian_wren.service.recording import recording
from obsidian_wren.service.rig.rigs import the_rig
from obsidian_wren.service.rig.take_queries import current_takes
from obsidian_wren.service.send import listeners
from obsidian_wren.service.setup import computer_changes
from obsidian_wren.service.undo.put_back import redo, undo
from obsidian_wren.voice.pads import Pads
from obsidian_wren.voice.records import Track
from routing_truth import faults
from shown import overview, shows
from signals import RATE, noise, sine
from voices import program_of
from waiting import wait_until


def listener(app, key):
    return next(d for d in shows(app, "destinations") if d.key == key)


def in_use(app):
    return [d.key for d in shows(app, "destinations") if d.on]


def test_every_listener_that_picks_has_a_feed_of_its_own(app):
    listeners.set_up(app, "everything")
    assert [entry.name for entry in shows(app, "inputs")][1:] == [
        "Wren: call",
        "Wren: game",
        "Wren: stream",
    ]
    listeners.set_up(app, "call")
    assert [entry.name for entry in shows(app, "inputs")][1:] == ["Wren: call"]


def test_a_case_is_one_change_that_can_be_undone(app):
    left = listeners.set_up(app, "game")
    assert in_use(app) == ["game-chat", "headphones"]
    assert left == ["In Crew game chat, choose “Wren: game” as the microphone."]
    undo(app)
    assert in_use(app) == ["call", "recorder", "headphones"]
    redo(app)
    assert in_use(app) == ["game-chat", "headphones"]
    assert next(c.key for c in shows(app, "cases") if c.chosen) == "game"
    with pytest.raises(Refused, match="no such case"):
        listeners.set_up(app, "party")


def test_a_wrong_route_is_refused_with_its_path(app):
    listeners.set_up(app, "everything")
    with pytest.raises(Refused, match="never gets its own return"):
        listeners.set_route(app, "return-call", "call", "treated", True)
    with pytest.raises(Refused, match="Editor call → Computer sound → Editor call"):
        listeners.set_route(app, "computer", "call", "treated", True)
    with pytest.raises(Refused, match="hear one sound twice"):
        listeners.set_route(app, "voice", "call", "raw", True)
    with pytest.raises(Refused, match="not in use"):
        listeners.set_route(app, "return-stream", "call", "treated", True)
    listeners.use_source(app, "music", False)
    with pytest.raises(Refused, match="not in use"):
        listeners.set_route(app, "music", "call", "treated", True)
    with pytest.raises(Refused, match="what this is about"):
        listeners.use_source(app, "voice", False)


ACTIONS = st.one_of(
    st.tuples(
        st.just("route"),
        st.sampled_from(
            ["voice", "second", "computer", "music", "clips", "return-call", "return-game-chat"]
        ),
        st.sampled_from(
            ["call", "game-chat", "stream", "recorder", "headphones", "second-computer"]
        ),
        st.sampled_from(["treated", "raw"]),
        st.booleans(),
    ),
    st.tuples(
        st.just("listener"),
        st.sampled_from(["call", "game-chat", "stream", "headphones"]),
        st.booleans(),
    ),
    st.tuples(
        st.just("source"), st.sampled_from(["second", "computer", "music", "clips"]), st.booleans()
    ),
    st.tuples(st.just("case"), st.sampled_from(["call", "game", "talk", "everything"])),
    st.tuples(st.sampled_from(["undo", "redo"])),
)


@settings(
    max_examples=12, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture]
)
@given(st.lists(ACTIONS, min_size=4, max_size=14))
def test_whatever_is_clicked_no_mix_holds_its_own_return_and_nothing_comes_round(app, clicked):
    listeners.set_up(app, "everything")
    for what, *more in clicked:
        try:
            match what:
                case "route":
                    listeners.set_route(app, *more)
                case "listener":
                    listeners.use_listener(app, *more)
                case "source":
                    listeners.use_source(app, *more)
                case "case":
                    listeners.set_up(app, *more)
                case "undo":
                    undo(app)
                case "redo":
                    redo(app)
        except Refused:
            continue
    with app.sessions.begin() as session:
        routing, _ = scene.routes(session)
    assert faults(routing) == set()


def test_a_mix_is_pinned_let_go_and_brought_back_to_the_usual(boathouse):
    app = boathouse
    listeners.set_up(app, "call")
    assert listener(app, "call").mix.lufs == pytest.approx(-18.0, abs=0.5)
    listeners.pin_mix(app, "call", "aim_lufs", -23.0, None)
    mix = listener(app, "call").mix
    assert mix.pins == ["aim_lufs"]
    assert mix.lufs == pytest.approx(-23.0, abs=0.5)
    listeners.pin_mix(app, "call", "under_lu", 14.0, "clips")
    clip = next(send for send in listener(app, "call").mix.sends if send.source == "clips")
    assert clip.pinned
    assert clip.under_lu == 14.0
    with pytest.raises(Refused, match="from −40 to −10"):
        listeners.pin_mix(app, "call", "aim_lufs", -4.0, None)
    listeners.usual_mix(app, "call")
    assert listener(app, "call").mix.pins == []
    assert listener(app, "call").mix.aim_lufs == -18.0


def test_mixes_are_stale_when_what_they_stand_on_changes_and_derived_once(boathouse, monkeypatch):
    app = boathouse
    assert not shows(app, "mixes_stale")
    stages.switch_stage(app, "highpass", on=False)
    assert shows(app, "mixes_stale")
    mixing.refresh(app)
    assert not shows(app, "mixes_stale")
    monkeypatch.setattr(mixing, "_derive", lambda *_: pytest.fail("derived again"))
    mixing.refresh(app)
    with app.sessions.begin() as session:
        scene.destinations(session)[0].pins = {"aim_lufs": -20.0}
    assert shows(app, "mixes_stale")


def test_another_room_leaves_the_mixes_stale(boathouse):
    assert not shows(boathouse, "mixes_stale")
    with boathouse.sessions.begin() as session:
        current_takes(session, the_rig(boathouse, session)).floor.sha256 = "another"
    assert shows(boathouse, "mixes_stale")


def test_programs_are_set_and_what_they_cannot_do_is_refused(app):
    listeners.set_program(app, "call", {"noise_removal": True, "rate_hz": 16_000})
    shown = listener(app, "call")
    assert shown.program.noise_removal
    assert {v.code for v in shown.audit} >= {"noise removal", "other rate", "picks raw"}
    for wrong, says in (
        ({"rate_hz": 12_345}, "Choose one of them"),
        ({"latency_ms": 9000.0}, "in between"),
        ({"sparkle": 1}, "no such setting"),
    ):
        with pytest.raises(Refused, match=says):
            listeners.set_program(app, "call", wrong)
    undo(app)
    assert not listener(app, "call").program.noise_removal
    with pytest.raises(Refused, match="chooses nothing"):
        listeners.pick_input(app, "headphones", "Wren: call")
    with pytest.raises(Refused, match="no input with this name"):
        listeners.pick_input(app, "call", "Wren: stream")


def test_clips_are_matched_trimmed_and_share_no_key(app, tmp_path):
    clips.ship(app)
    clips.ship(app)
    assert [c.name for c in shows(app, "clips")] == ["Bell", "Gull", "Horn", "Door"]
    soundfile.write(
        tmp_path / "hail.wav", np.concatenate([np.zeros(RATE), sine(700, -30.0, 1.0)]), RATE
    )
    clips.load_file(app, tmp_path / "hail.wav", "hail.wav")
    mine = shows(app, "clips")[-1]
    assert (mine.name, mine.key, mine.seconds) == ("hail", "5", 2.0)
    assert (len(mine.waveform), max(mine.waveform[:59])) == (120, 0.0)
    assert min(mine.waveform[61:]) == pytest.approx(1.0, abs=0.01)
    clips.alter(app, mine.id, name="Hail", key="1", start_s=1.0, end_s=2.0)
    shown = {c.name: c for c in shows(app, "clips")}
    assert (shown["Hail"].key, shown["Bell"].key) == ("1", None)
    assert shown["Hail"].lufs == pytest.approx(-33.5, abs=0.3)
    assert shown["Hail"].waveform == mine.waveform
    heard, rate = soundfile.read(io.BytesIO(sounds.hear_clip(app, mine.id)))
    assert len(heard) == rate
    assert integrated_lufs(heard, rate_hz=rate) == pytest.approx(clips.CLIP_LUFS, abs=0.3)
    with app.sessions() as session:
        loud = [
            integrated_lufs(clips.sound_of(app, row, 44_100), rate_hz=44_100)
            for row in clip_rows.rows(session)
            if row.end_s - row.start_s > 0.6
        ]
    assert max(loud) - min(loud) < 0.3
    with pytest.raises(Refused, match="beginning has to be before"):
        clips.alter(app, mine.id, name="Hail", key="1", start_s=1.5, end_s=1.2)
    clips.remove(app, mine.id)
    undo(app)
    assert "Hail" in [c.name for c in shows(app, "clips")]
    for sound, says in ((np.zeros(RATE), "no sound"), (noise(0.1, 61.0), "up to 60 s")):
        with pytest.raises(Refused, match=says):
            clips.load(app, "wrong", sound, RATE)
    with pytest.raises(Refused, match="You are not live"):
        pressing.press(app, mine.id)


def test_pressed_clips_sound_together_and_stop_without_a_click():
    pads = Pads()
    pads.press(1, np.full(1000, 0.25))
    pads.press(2, np.full(300, 0.5))
    first = pads.read(480)
    assert first.shape == (480, 2)
    assert first[0, 0] == 0.75
    assert first[400, 0] == 0.25
    assert pads.sounding == [1]
    pads.release(1)
    rest = pads.read(480)[:, 0]
    assert np.abs(np.diff(rest)).max() < 0.01
    assert rest[-1] == pytest.approx(0.0, abs=1e-9)
    pads.read(480)
    assert pads.sounding == []


def test_a_run_goes_on_after_a_restart_where_it_was_wanted(boathouse, app_over, tmp_path):
    app = boathouse
    assert not living.resume_run(app)
    living.start_run(app)
    assert shows(app, "run").wanted
    living.leave_run(app)
    assert living.resume_run(app)
    assert shows(app, "run").live
    living.stop_run(app)
    assert not living.resume_run(app)


def test_a_run_goes_on_when_its_device_is_back(boathouse):
    app = boathouse
    device = next(d for d in shows(app, "computer").devices if d.of_rig)
    living.start_run(app)
    computer_changes.unplug(app, device.id)
    shown = shows(app, "run")
    assert (shown.live, shown.wanted) == (False, True)
    assert "was disconnected" in shown.stopped_why
    computer_changes.plug_in(app, device.id)
    assert shows(app, "run").live
    living.stop_run(app)
    again = next(d.id for d in shows(app, "computer").devices if d.of_rig)
    computer_changes.unplug(app, again)
    computer_changes.plug_in(app, again)
    assert not shows(app, "run").live


def test_a_second_microphone_runs_through_a_chain_of_its_own(boathouse):
    app, tapped = boathouse, []
    assert next(s for s in shows(app, "sources") if s.key == "second").because == []
    listeners.use_source(app, "second", True)
    said = next(s for s in shows(app, "sources") if s.key == "second").because
    assert any(sentence.startswith("Hum of 50 Hz at −61 dBFS: 3 narrow cuts") for sentence in said)
    living.start_run(app)
    tracks = [Track("second raw"), Track("second treated")]
    end = live.current(app).run.follow("test", tracks, tapped.append)
    wait_until(lambda: sum(len(raw) for raw, _ in tapped) >= 6 * RATE)
    end()
    living.stop_run(app)
    raw, treated = (np.concatenate(part)[:, 0] for part in zip(*tapped, strict=True))
    lines = [
        steady_spectrum(sound, rate_hz=RATE).mean_square[[50, 100, 150]] for sound in (raw, treated)
    ]
    # The cuts, and at 50 Hz the high-pass under the lowest note too.
    assert (10 * np.log10(lines[0] / lines[1])).tolist() == pytest.approx([19.0, 4.9, 6.5], abs=1.5)


def test_who_takes_part_stays_while_it_is_recorded(boathouse):
    app = boathouse
    living.start_run(app)
    recording.choose_tracks(app, ["treated"], "wav", None, None)
    live_recording.start_recording(app)
    for change in (
        lambda: listeners.use_listener(app, "stream", True),
        lambda: listeners.use_source(app, "music", True),
        lambda: listeners.set_up(app, "call"),
        lambda: listeners.pin_mix(app, "call", "channels", 2, None),
        lambda: living.hold_block(app, 20.0),
        lambda: listeners.set_program(app, "call", {"rate_hz": 16_000}),
    ):
        with pytest.raises(Refused, match="You are recording"):
            change()
    listeners.set_route(app, "clips", "call", "treated", False)
    assert "clips" in [kept.source for kept in listener(app, "call").mix.kept_out]
    live_recording.stop_recording(app)
    listeners.use_listener(app, "stream", True)
    assert "stream" in in_use(app)
    assert shows(app, "run").live


def test_what_is_live_follows_an_undo(boathouse):
    app = boathouse
    living.start_run(app)
    listeners.use_listener(app, "stream", True)
    assert "stream" in [seat.key for seat in live.current(app).run.seats]
    undo(app)
    assert "stream" not in [seat.key for seat in live.current(app).run.seats]
    assert shows(app, "run").live
    before = live.current(app).run
    listeners.pin_mix(app, "call", "aim_lufs", -22.0, None)
    undo(app)
    assert live.current(app).run is before


def test_a_block_is_held_or_measured(boathouse):
    app = boathouse
    living.start_run(app)
    living.hold_block(app, 20.0)
    shown = shows(app, "run")
    assert (shown.live, shown.block_ms, shown.block_held) == (True, 20.0, True)
    assert next(d.delay.block_ms for d in shows(app, "destinations") if d.delay) == 20.0
    with pytest.raises(Refused, match="2 to 100 ms"):
        living.hold_block(app, 500.0)
    living.hold_block(app, None)
    assert not shows(app, "run").block_held


def test_a_buffer_is_held_or_measured_and_is_part_of_the_delay(boathouse):
    app = boathouse
    living.start_run(app)
    usual = next(d.delay for d in shows(app, "destinations") if d.delay)
    assert (shows(app, "run").buffer_ms, shows(app, "run").buffer_held) == (10.0, False)
    living.hold_buffer(app, 40.0)
    shown = shows(app, "run")
    assert (shown.live, shown.buffer_ms, shown.buffer_held) == (True, 40.0, True)
    longer = next(d.delay for d in shows(app, "destinations") if d.delay)
    assert longer.edge_ms - usual.edge_ms == pytest.approx(30.0, abs=3.0)
    with pytest.raises(Refused, match="5 to 200 ms"):
        living.hold_buffer(app, 2.0)
    living.hold_buffer(app, None)
    assert (shows(app, "run").buffer_ms, shows(app, "run").buffer_held) == (10.0, False)


@pytest.mark.parametrize(
    ("late_ms", "waits_ms"), [(0.0, 10.0), (4.9, 10.0), (5.1, 15.0), (12.0, 25.0), (500.0, 60.0)]
)
def test_a_measured_buffer_waits_for_twice_what_a_slow_block_was_late(late_ms, waits_ms):
    assert buffer_ms(BlockCost(10.0, 0.3, late_ms)) == waits_ms
    assert buffer_ms(None) == 10.0


def test_what_comes_back_is_measured_and_treated_while_live(boathouse):
    app = boathouse
    with pytest.raises(Refused, match="You are not live"):
        living.treat_returns(app)
    living.start_run(app)
    with pytest.raises(Refused, match="The returns are too short"):
        living.treat_returns(app)
    wait_until(lambda: program_of(app, "call").returned_position >= 12 * RATE)
    assert living.treat_returns(app) == 1
    (back,) = shows(app, "returns")
    assert back.after.lufs == pytest.approx(-18.0, abs=1.0)
    assert back.before.hum_dbfs is not None
    assert back.after.hum_dbfs is None


def test_what_an_older_version_kept_of_the_call_is_kept(tmp_path):
    from alembic import command
    from alembic.config import Config

    from obsidian_wren.store.database import MIGRATIONS

    engine = create_engine(f"sqlite:///{tmp_path / 'old.db'}")
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    config.attributes["engine"] = engine
    command.upgrade(config, "0003")
    with engine.begin() as connection:
        connection.execute(
            text(
                "INSERT INTO destination (name, kind, picks) VALUES ('Editor call', 'call', 'Wren:"
                " voice')"
            )
        )
        connection.execute(
            text(
                "INSERT INTO recording (file_name, rate_hz, frames, loudness_lufs, true_peak_dbtp,"
                " at) VALUES ('voice-1.flac', 48000, 96000, -18.1, -3.2, '2026-11-01')"
            )
        )
    command.upgrade(config, "head")
    with engine.connect() as connection:
        assert connection.execute(text('SELECT key, picks, "on" FROM destination')).all() == [
            ("call", "Wren: call", 1)
        ]
        assert connection.execute(text("SELECT title, track, frames FROM recording")).all() == [
            ("voice-1", "treated", 96000)
        ]


def test_the_delay_that_is_predicted_is_the_one_that_live_has(boathouse):
    app = boathouse
    living.hold_block(app, 20.0)
    before = shows(app, "run").predicted_ms
    living.start_run(app)
    shown = overview(app, "destinations", "run")
    assert shown.run.predicted_ms is None
    there = next(d.delay for d in shown.destinations if d.delay)
    for part in ("block_ms", "chain_ms", "mix_ms"):
        assert before[part] == pytest.approx(getattr(there, part), abs=0.01)
    # A listener that follows its own clock has a little more, told once it listens.
    assert before["edge_ms"] <= there.edge_ms + 0.01
