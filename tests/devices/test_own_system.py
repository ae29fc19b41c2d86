"""The whole program on this computer's own sound: a private server, fake microphones, real programs
that record and play."""

import signal
import time
from dataclasses import astuple

import numpy as np
import pulsectl
import pytest

from listening import level_of, strongest_hz
from obsidian_wren.devices.sound_server import control
from obsidian_wren.devices.sound_server.control import SoundServer
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live import current, living
from obsidian_wren.service.opening.opening import close_app, open_app
from obsidian_wren.service.send import feeds, listeners, proving
from obsidian_wren.service.setup import computer_changes, seeing, turning
from obsidian_wren.service.takes import starting
from obsidian_wren.service.undo import put_back
from obsidian_wren.store.folder import DataFolder
from own_system import CALL, Playing, Recording, own_world, sink, tone_of
from rigging import change
from shown import overview, shows
from signals import sine
from waiting import wait_until

TONE = sine(1000.0, -30.0, 1.0)


def in_call(app):
    return next(each for each in shows(app, "destinations") if each.key == "call")


def loud(recording):
    return level_of(recording.hears()) > -60.0


def silent(recording):
    return not recording.hears().any()


def test_nothing_of_the_simulated_computer_is_shown(own):
    seen = overview(own, "cases", "computer", "destinations", "rig", "sources")
    assert (seen.computer.simulated, seen.rig.source) == (False, "system")
    assert {device.id for device in seen.computer.devices} >= {"desk"}
    assert [each.name for each in seen.destinations] == [
        "Call",
        "Game",
        "Stream",
        "Recorder",
        "Headphones",
    ]
    assert {each.kind for each in seen.sources} == {"voice", "computer", "clips", "person"}
    assert all(each.program is None for each in seen.destinations)
    assert {case.key for case in seen.cases} == {"call", "game", "talk"}


def test_a_wrong_pick_is_seen_moved_and_proved_by_the_sound(own):
    with Recording("desk") as recorder:
        (program,) = wait_until(lambda: shows(own, "programs"))
        assert (program.program, program.hears, program.feed) == ("Walk recorder", "raw", None)
        assert program.process_id == recorder.process.pid
        assert "Move Walk recorder to a feed" in shows(own, "left_to_do")[-1]
        assert "raw" in {finding.code for finding in shows(own, "computer").findings}
        feeds.move_listener(own, program.index, "call")
        # A server under load moves it a moment later.
        wait_until(lambda: [each.hears for each in shows(own, "programs")] == ["feed"])
        (program,) = shows(own, "programs")
        assert (program.feed, program.picked) == ("call", "Wren: call")
        # Not live: silence, never the raw voice.
        wait_until(lambda: silent(recorder))
        living.start_run(own)
        wait_until(lambda: loud(recorder))
        wait_until(lambda: abs(strongest_hz(recorder.hears(0.5)) - 1000.0) < 5.0)
        living.stop_run(own)
        wait_until(lambda: silent(recorder))
    wait_until(
        lambda: "Walk recorder listens" not in [check.sentence for check in in_call(own).checks]
    )
    with pytest.raises(Refused, match="no longer records"):
        feeds.move_listener(own, 99_999, "call")


def test_a_program_that_the_server_does_not_move_is_not_said_moved(own, system, monkeypatch):
    with Recording("desk"):
        (program,) = wait_until(lambda: shows(own, "programs"))
        monkeypatch.setattr(system, "move_listener", lambda index, microphone: None)
        with pytest.raises(Refused, match="Choose “Wren: call” in the program’s own menu"):
            feeds.move_listener(own, program.index, "call")


def test_a_program_opened_on_a_feed_is_there_within_a_second(own):
    living.start_run(own)
    with Recording(CALL):
        wait_until(
            lambda: "Walk recorder listens" in [check.sentence for check in in_call(own).checks]
        )
    wait_until(lambda: "No program listens yet" in [each.sentence for each in in_call(own).checks])


@pytest.mark.real_time
def test_the_marker_is_found_where_any_program_would_hear_it(own):
    living.start_run(own)

    def sent():
        wait_until(lambda: shows(own, "run").marker == "idle")
        before = in_call(own).proof
        proving.send_marker(own)
        assert shows(own, "run").marker == "sending"
        proof = wait_until(lambda: in_call(own).proof if in_call(own).proof != before else None)
        # Where a busy machine held it up, a person sends it again; so too where blocks grew behind
        # it, since what is told is how things stand now.
        return proof if proof.good and proof.ours_ms < proof.delay_ms else None

    proof = wait_until(sent)
    assert proof.verdicts[0].code == "treated"
    # The way through the server takes time that the chain and the mix do not explain.
    assert proof.delay_ms < proof.ours_ms + 400.0
    assert shows(own, "proofs").good == shows(own, "proofs").all == 1
    wait_until(lambda: shows(own, "run").marker == "idle")


def test_a_microphone_that_goes_and_comes_back(own, open_own, system, plugged):
    desk = plugged(sine(440.0, -30.0, 1.0), name="other")
    wait_until(lambda: "other" in {device.id for device in shows(own, "computer").devices})
    computer_changes.choose_device(own, "other")
    living.start_run(own)
    with Recording(CALL) as recorder:
        wait_until(lambda: loud(recorder))
        desk.unplug()
        wait_until(lambda: current(own).running is None)
        assert "was disconnected" in shows(own, "run").stopped_why
        wait_until(lambda: silent(recorder))
        assert "gone" in {finding.code for finding in shows(own, "computer").findings}
        # The other microphone is never taken in its place.
        time.sleep(1.0)
        assert silent(recorder)
        desk.plug_in()
        wait_until(lambda: loud(recorder))
        assert abs(strongest_hz(recorder.hears(0.5)) - 440.0) < 5.0


def test_a_pipe_that_is_deleted_is_made_anew(own, system):
    living.start_run(own)
    with Recording(CALL) as recorder:
        wait_until(lambda: loud(recorder))
    pipe = next(system._folder.glob("call.pipe"))
    pipe.unlink()
    wait_until(pipe.exists)
    with Recording(CALL) as recorder:
        wait_until(lambda: loud(recorder))


def test_a_sound_server_that_ends_and_is_back(own, system, sound_server, plugged):
    living.start_run(own)
    sound_server.end()
    wait_until(lambda: shows(own, "computer").missing)
    wait_until(lambda: current(own).running is None)
    assert "not there" in " ".join(check.sentence for check in in_call(own).checks)
    sound_server.start()
    plugged(TONE)
    wait_until(lambda: current(own).running)
    wait_until(lambda: CALL in {each.name for each in system.microphones()})
    with Recording(CALL) as recorder:
        wait_until(lambda: loud(recorder))


def test_who_records_a_feed_is_never_sent_to_the_raw_microphone(own, open_own, system):
    """Named anew, taken out of use, the program ended and begun again: silence at most."""
    living.start_run(own)
    with Recording(CALL) as recorder:
        wait_until(lambda: loud(recorder))
        feeds.name_feed(own, "call", "Loft desk")
        wait_until(lambda: [each.title for each in system.inputs()] == ["Loft desk"])
        wait_until(lambda: loud(recorder))
        assert [one.microphone for one in system.listeners()] == [CALL]
        living.stop_run(own)
        wait_until(lambda: silent(recorder))
        listeners.use_listener(own, "call", False)
        seeing.attend(own, looked=True)
        wait_until(lambda: silent(recorder))
        own.let_go()
        close_app(own)
        wait_until(lambda: silent(recorder))
        assert [one.microphone for one in system.listeners()] == [CALL]
        second = open_own()
        listeners.use_listener(second, "call", True)
        wait_until(lambda: in_call(second).feed is not None)
        wait_until(lambda: silent(recorder))
        assert [one.microphone for one in system.listeners()] == [CALL]
    # Nothing is left behind for good.
    second.let_go()
    close_app(second)
    wait_until(lambda: system.inputs() == ())


def test_who_was_moved_away_while_nothing_ran_is_taken_back(own, open_own, system):
    with Recording(CALL) as recorder:
        wait_until(lambda: [each.feed for each in shows(own, "programs")] == ["call"])
        own.let_go()
        close_app(own)
        system.remove_inputs()
        wait_until(lambda: [one.microphone for one in system.listeners()] == ["desk"])
        second = open_own()
        wait_until(lambda: [each.feed for each in shows(second, "programs")] == ["call"])
        wait_until(lambda: silent(recorder))


@pytest.mark.parametrize("ours_first", [False, True])
def test_who_is_moved_with_the_default_microphone_is_taken_back(
    own, system, plugged, ours_first, monkeypatch
):
    told = []
    plugged(TONE, name="other")
    system.make_default(CALL if ours_first else "desk")
    wait_until(lambda: in_call(own).feed is not None)
    with Recording(CALL, "Walk recorder") as recorder, Recording("desk", "Meter"):
        wait_until(
            lambda: (
                {each.program: each.hears for each in shows(own, "programs")}
                == {"Walk recorder": "feed", "Meter": "raw"}
            )
        )
        monkeypatch.setattr(own.bus, "tell", lambda *news: told.append(str(news)))
        for default in ("other", CALL, "other"):
            system.make_default(default)
            # A moment in which the server moves them, and ours takes them back.
            time.sleep(1.0)
            wait_until(
                lambda: (
                    dict.fromkeys(["Walk recorder"], CALL).items()
                    <= {one.program: one.microphone for one in system.listeners()}.items()
                )
            )
        wait_until(lambda: silent(recorder))
    if ours_first:
        wait_until(lambda: any("It hears “Wren: call” again" in news for news in told))


def test_a_machine_that_slept_goes_on_by_itself(own, sound_server):
    living.start_run(own)
    with Recording(CALL) as recorder:
        wait_until(lambda: loud(recorder))
        for process in sound_server._processes:
            process.send_signal(signal.SIGSTOP)
        # Longer than a microphone may be silent.
        wait_until(current(own).run.finished.is_set)
        for process in reversed(sound_server._processes):
            process.send_signal(signal.SIGCONT)
        wait_until(lambda: current(own).running)
        wait_until(lambda: loud(recorder))


def test_sound_settings_are_set_and_taken_back(own, system, plugged):
    plugged(TONE, name="other")
    wait_until(lambda: "other" in {device.id for device in shows(own, "computer").devices})
    system.make_default("other")
    system.set_volume("desk", 85.0)
    wait_until(lambda: {"other-input", "slider"} <= codes(own))
    for code in ("other-input", "slider"):
        found = next(each for each in shows(own, "computer").findings if each.code == code)
        computer_changes.change_device(own, *astuple(found.change))
    assert not {"other-input", "slider"} & codes(own)
    stood = {each.name: each for each in system.microphones()}
    assert stood["desk"].is_default
    assert stood["desk"].volume_percent == pytest.approx(100.0, abs=0.2)
    put_back.undo(own)
    put_back.undo(own)
    stood = {each.name: each for each in system.microphones()}
    assert stood["other"].is_default
    assert stood["desk"].volume_percent == pytest.approx(85.0, abs=0.2)
    put_back.redo(own)
    assert {each.name: each for each in system.microphones()}["desk"].is_default
    turning.turn(own, "slider", 60.0)
    assert next(c.position for c in shows(own, "controls") if c.key == "slider") == pytest.approx(
        60.0, abs=0.2
    )


def channels(system):
    return {
        each.name.removeprefix("obsidian_wren."): each.channels
        for each in system.microphones()
        if each.ours
    }


def codes(app):
    return {finding.code for finding in shows(app, "computer").findings}


def test_feeds_have_names_of_their_own_and_stay_only_where_they_should(
    open_own, own, system, tmp_path
):
    feeds.name_feed(own, "call", "Loft desk")
    assert [each.title for each in system.inputs()] == ["Loft desk"]
    assert in_call(own).feed == "Loft desk"
    listeners.use_listener(own, "stream", True)
    with pytest.raises(Refused, match="already called “Loft desk”"):
        feeds.name_feed(own, "stream", "Loft desk")
    listeners.use_listener(own, "stream", False)
    assert [each.key for each in system.inputs()] == ["call"]
    put_back.undo(own)
    wait_until(lambda: {each.key for each in system.inputs()} == {"call", "stream"})
    own.let_go()
    close_app(own)
    assert system.inputs() == ()
    second = open_own(data=None, folder=own.folder.path)
    feeds.keep_feeds(second, True)
    second.let_go()
    close_app(second)
    assert {each.key for each in system.inputs()} == {"call", "stream"}


def test_another_copy_that_runs_is_said(own, open_own):
    second = open_own()
    said = [check.advice for check in in_call(second).checks]
    assert any("Another Obsidian Wren of yours already feeds" in (each or "") for each in said)


def test_what_a_busy_server_did_not_answer_is_asked_again(own, system, monkeypatch):
    answers, real = [], control._surroundings

    def lost_once():
        if not answers:
            answers.append("lost")
            raise pulsectl.PulseError
        return real()

    monkeypatch.setattr(control, "_surroundings", lost_once)
    system.look()
    # No other event follows.
    wait_until(lambda: answers and "desk" in {each.id for each in shows(own, "computer").devices})


def test_headphones_play_where_the_person_says_and_nowhere_else(own, system):
    sink("phones")
    wait_until(lambda: "phones" in {device.id for device in shows(own, "computer").devices})
    listeners.set_route(own, "voice", "headphones", "treated", True)
    living.start_run(own)
    with Recording("phones.monitor", "ear") as ear:
        assert silent(ear)
        feeds.choose_output(own, "headphones", "phones")
        wait_until(lambda: abs(strongest_hz(ear.hears(0.5)) - 1000.0) < 5.0)
        delay = next(each for each in shows(own, "destinations") if each.key == "headphones").delay
        assert delay.total_ms > 20.0
        feeds.choose_output(own, "headphones", None)
        wait_until(lambda: silent(ear))
        feeds.choose_output(own, "headphones", "phones")
        wait_until(lambda: abs(strongest_hz(ear.hears(0.5)) - 1000.0) < 5.0)
    with pytest.raises(Refused, match="no longer lists this output"):
        feeds.choose_output(own, "headphones", "elsewhere")


def test_what_a_program_plays_comes_back_and_never_into_its_own_feed(own, system):
    sink("phones")
    wait_until(lambda: "phones" in {device.id for device in shows(own, "computer").devices})
    feeds.choose_output(own, "headphones", "phones")
    with Playing(3000.0):
        (player,) = wait_until(lambda: shows(own, "players"))
        feeds.choose_return(own, "call", player.index)
        assert in_call(own).plays == "Editor call"
        assert [each.name for each in shows(own, "returns")] == ["From Editor call"]
        stood = shows(own, "players")[0].output
        living.start_run(own)
        wait_until(lambda: shows(own, "players")[0].output == "Wren: from Editor call")
        with Recording("phones.monitor", "ear") as ear, Recording(CALL) as recorder:
            wait_until(lambda: abs(strongest_hz(ear.hears(0.5)) - 3000.0) < 5.0)
            wait_until(lambda: loud(recorder))
            # Where a block came late there is a gap, which holds every tone for a moment.
            wait_until(lambda: tone_of(recorder.hears(1.0), 3000.0) < -90.0)
        with pytest.raises(Refused, match="You are live"):
            feeds.choose_return(own, "call", None)
        living.stop_run(own)
        # Not live: it is heard where it always was.
        wait_until(lambda: shows(own, "players")[0].output == stood)
    feeds.choose_return(own, "call", None)
    assert shows(own, "returns") == []


def test_the_computers_sound_goes_to_a_stream_and_not_to_who_plays_it(own, system):
    sink("speakers")
    wait_until(lambda: "speakers" in {device.id for device in shows(own, "computer").devices})
    computer_changes.change_device(own, "speakers", "is_default", True)
    listeners.use_listener(own, "stream", True)
    listeners.use_source(own, "computer", True)
    living.start_run(own)
    # A listener whose mix has two channels gets an input of two.
    wait_until(lambda: channels(system) == {"call": 1, "stream": 2})
    with (
        Playing(3000.0, "Game", "speakers"),
        Recording("obsidian_wren.stream", "stream") as stream,
        Recording(CALL) as recorder,
    ):
        wait_until(lambda: tone_of(stream.hears(0.5), 3000.0) > -60.0)
        wait_until(lambda: loud(recorder))
        # Where a block came late there is a gap, which holds every tone for a moment.
        wait_until(lambda: tone_of(recorder.hears(1.0), 3000.0) < -90.0)


def test_takes_have_the_channel_and_the_rate_of_the_device(own, plugged):
    both = np.column_stack([np.zeros(44_100), sine(500.0, -70.0, 1.0, rate_hz=44_100)])
    plugged(both, name="two", rate_hz=44_100, channels=2)
    wait_until(lambda: "two" in {device.id for device in shows(own, "computer").devices})
    computer_changes.choose_device(own, "two")
    assert shows(own, "rig").rate_hz == 44_100
    for channel, heard in ((None, True), (1, False), (2, True)):
        change(own, channel=channel)
        before = len(shows(own, "takes"))
        starting.start(own, "rest", seconds=3.0)
        wait_until(lambda: shows(own, "progress") is None)
        take = shows(own, "takes")[before]
        assert (take.source, take.rate_hz) == ("system", 44_100)
        assert (take.fault is None) == heard, take.fault


@pytest.mark.parametrize(("rate_hz", "channels"), [(96_000, 2), (44_100, 8)])
def test_another_rate_and_more_channels_go_from_the_rig_to_the_feed(
    own, plugged, rate_hz, channels
):
    silent_but_last = np.zeros((rate_hz, channels))
    silent_but_last[:, -1] = sine(1000.0, -30.0, 1.0, rate_hz=rate_hz)
    plugged(silent_but_last, name="other", rate_hz=rate_hz, channels=channels)
    wait_until(lambda: "other" in {device.id for device in shows(own, "computer").devices})
    with Recording(CALL) as recorder:
        living.start_run(own)
        wait_until(lambda: loud(recorder))
        usual = tone_of(recorder.hears(1.0), 1000.0)
        # Who is live goes on with what is chosen.
        computer_changes.choose_device(own, "other")
        change(own, channel=channels)
        device = next(one for one in shows(own, "computer").devices if one.id == "other")
        assert (device.rate_hz, device.channels) == (rate_hz, channels)
        assert shows(own, "rig").rate_hz == rate_hz
        wait_until(lambda: shows(own, "run").rate_hz == rate_hz)
        wait_until(lambda: abs(strongest_hz(recorder.hears(0.5)) - 1000.0) < 3.0)
        wait_until(lambda: abs(tone_of(recorder.hears(1.0), 1000.0) - usual) < 1.0)
        change(own, channel=1)
        wait_until(lambda: not loud(recorder))
        assert shows(own, "run").live
        living.stop_run(own)
    change(own, channel=channels)
    before = len(shows(own, "takes"))
    starting.start(own, "rest", seconds=3.0)
    wait_until(lambda: shows(own, "progress") is None)
    assert shows(own, "takes")[before].rate_hz == rate_hz


def test_a_dial_take_sets_the_slider_and_puts_it_back(own, system):
    before = len(shows(own, "takes"))
    starting.start(own, "dial", seconds=3.0, position=50.0, learns="slider")
    assert {each.name: each for each in system.microphones()}["desk"].volume_percent < 60.0
    wait_until(lambda: shows(own, "takes")[before:] and shows(own, "progress") is None)
    desk = {each.name: each for each in system.microphones()}["desk"]
    assert desk.volume_percent == pytest.approx(100.0, abs=0.2)


def test_without_a_microphone_or_a_server_it_says_what_to_do(
    open_own, system, monkeypatch, plugged
):
    app = open_own(data=None)
    assert shows(app, "rig").source == "browser"
    change(app, source="system")
    with pytest.raises(Refused, match="is not connected"):
        starting.start(app, "rest", seconds=3.0)
    monkeypatch.setenv("PULSE_SERVER", "unix:/nonexistent/native")
    server = SoundServer()
    server.look()
    alone = open_app(DataFolder(app.folder.path.with_name("alone")), own_world(server))
    try:
        seeing.start_seeing(alone)
        seen = overview(alone, "computer", "programs", "rig")
        assert (seen.rig.source, seen.computer.devices, seen.programs) == ("browser", [], [])
        assert "Start PipeWire or PulseAudio" in seen.computer.missing
        assert "install Debian’s" in in_call(alone).checks[0].advice
        change(alone, source="system")
        with pytest.raises(Refused, match="browser’s microphone works"):
            starting.start(alone, "rest", seconds=3.0)
    finally:
        alone.let_go()
        close_app(alone)
