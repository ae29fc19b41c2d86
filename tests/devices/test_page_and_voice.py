"""The page's program and the process of the voice: what one asks of the other, and what is heard
when either ends."""

import os
import signal
import time

import numpy as np
import pytest
import soundfile

from command import Command
from listening import level_of, strongest_hz
from obsidian_wren.cli.main import main
from obsidian_wren.service.live import current, living, monitor, muting, recording, watching
from obsidian_wren.service.live.voice_link import link_of
from obsidian_wren.service.opening.opening import close_app
from obsidian_wren.service.recording.recording import choose_tracks
from obsidian_wren.service.takes import starting
from obsidian_wren.voice import asking, records
from own_system import CALL, Recording, end_voice
from rigging import change
from shown import overview, shows
from signals import RATE, sine, voice
from waiting import wait_until

pytestmark = pytest.mark.real_time


def loud(recorder):
    return level_of(recorder.hears()) > -60.0


def silent(recorder):
    return not recorder.hears().any()


def in_voice(app):
    """What the process of the voice says of itself."""
    return link_of(app).status()


@pytest.fixture
def live(own):
    living.start_run(own)
    with Recording(CALL) as recorder:
        wait_until(lambda: loud(recorder))
        yield own, recorder


def test_the_voice_is_another_process_and_its_socket_is_ones_own(live):
    app, _ = live
    assert in_voice(app).process != os.getpid()
    assert app.folder.voice_socket.stat().st_mode & 0o777 == 0o600


def test_a_page_that_ends_is_not_heard_and_the_next_one_finds_the_voice_as_it_ran(live, open_own):
    app, recorder = live
    muting.mute(app, "call", True)
    wait_until(lambda: silent(recorder))
    muting.mute(app, "call", False)
    wait_until(lambda: loud(recorder))
    before = in_voice(app)
    app.let_go()
    close_app(app, voice_goes_on=True)
    assert loud(recorder)
    second = open_own(data=None, folder=app.folder.path)
    assert loud(recorder)
    stands = in_voice(second)
    assert (stands.process, stands.running) == (before.process, before.running)
    assert shows(second, "run").live
    assert "went on while this program was away" in shows(second, "message")
    # What is changed now is heard, and “Stop live” ends it.
    muting.mute(second, "call", True)
    wait_until(lambda: silent(recorder))
    living.stop_run(second)
    wait_until(lambda: not in_voice(second).live)


def test_ctrl_c_ends_the_voice_too_and_who_records_it_hears_silence(live):
    app, recorder = live
    process = in_voice(app).process
    app.let_go()
    close_app(app)
    with pytest.raises(ProcessLookupError):
        os.kill(process, 0)
    wait_until(lambda: silent(recorder))


def test_a_voice_that_is_killed_is_said_and_begun_again_as_it_ran(live):
    app, recorder = live
    told = app.bus.listen()
    before = in_voice(app)
    os.kill(before.process, signal.SIGKILL)
    wait_until(lambda: current(app).running is None)
    assert "ended by itself" in shows(app, "run").stopped_why
    wait_until(lambda: current(app).running is not None)
    wait_until(lambda: loud(recorder))
    assert in_voice(app).running == before.running
    assert in_voice(app).process != before.process
    said = [body for kind, body in list(told.queue) if kind == "trouble"]
    assert any("started again with the same settings" in body["sentence"] for body in said)


def test_a_voice_of_another_version_goes_on_and_is_said(live, open_own, monkeypatch):
    app, recorder = live
    app.let_go()
    close_app(app, voice_goes_on=True)
    monkeypatch.setattr(records, "VERSION", records.VERSION + 1)
    second = open_own(data=None, folder=app.folder.path)
    assert "another version" in " ".join(f.sentence for f in second.findings)
    assert shows(second, "run").live
    assert loud(recorder)
    before = in_voice(second).process
    living.stop_run(second)
    wait_until(lambda: silent(recorder))
    # The one of this version is there from then on.
    assert in_voice(second).process != before
    assert not in_voice(second).live


def test_what_is_recorded_is_what_is_heard_without_a_hole(live):
    app, _ = live
    choose_tracks(app, ["treated", "raw"], "flac", None, None)
    recording.start_recording(app)
    wait_until(lambda: shows(app, "recorder").seconds > 1.0)
    recording.stop_recording(app)
    files = sorted(app.folder.recordings.iterdir())
    assert len(files) == 2
    lengths = set()
    for path in files:
        sound, rate = soundfile.read(path)
        assert rate == RATE
        assert abs(strongest_hz(sound[: RATE // 2]) - 1000.0) < 5.0
        lengths.add(len(sound))
    assert len(lengths) == 1


def test_headphones_and_takes_hear_the_microphone_that_is_live(live, system, monkeypatch):
    """One stream of it for all."""
    app, _ = live
    opened = []
    usual = system.open_microphone
    monkeypatch.setattr(
        system, "open_microphone", lambda *a, **k: (opened.append(a), usual(*a, **k))[1]
    )
    ears = monitor.put_on(app)
    chunk = next(ears.chunks())
    assert np.frombuffer(chunk[16:], dtype="<f4").any()
    monitor.take_off(app)
    before = len(shows(app, "takes"))

    def taken():
        seen = overview(app, "progress", "takes")
        if seen.progress is None and len(seen.takes) == before:
            # Where a busy machine lost some of it, it is refused, and a person takes it again.
            starting.start(app, "rest", seconds=3.0)
        return seen.progress is None and len(seen.takes) > before

    wait_until(taken)
    assert shows(app, "takes")[before].rate_hz == RATE
    watching.start_watch(app, "rest")
    wait_until(lambda: current(app).watching is not None)
    watching.stop_watch(app)
    assert opened == []
    assert shows(app, "run").live


def test_the_meter_moves_while_a_page_is_open(live):
    app, _ = live
    told = app.bus.listen()
    wait_until(lambda: {"frame", "live"} <= {kind for kind, _ in list(told.queue)})


def test_a_page_that_opened_the_microphone_is_heard_through_the_voice(own):
    change(own, source="browser")
    living.start_run(own, browser_rate_hz=RATE)
    tone = sine(500.0, -20.0, 1.0)
    with Recording(CALL) as recorder:

        def pushed():
            for at in range(0, RATE, 4800):
                living.push_live(own, tone[at : at + 4800])
                time.sleep(0.05)
            return loud(recorder)

        wait_until(pushed)
    # Pieces stop: it is silent, and nothing else is opened in its place.
    wait_until(lambda: current(own).running is None)
    assert "sent nothing" in shows(own, "run").stopped_why


def test_doctor_names_a_voice_that_runs_without_its_page(live, capsys):
    app, _ = live
    process = in_voice(app).process
    app.let_go()
    close_app(app, voice_goes_on=True)
    main(["doctor", "--data", str(app.folder.path)])
    assert f"is live without its page (process {process})" in capsys.readouterr().out
    end_voice(app.folder.path)


@pytest.fixture
def start(own):
    """Starts the program over the folder of an app that has ended; none is left behind."""
    own.let_go()
    close_app(own)
    started = []

    def go():
        started.append(Command("serve", own.folder.path))
        return started[-1]

    yield go
    for program in started:
        if program.process.poll() is None:
            program.ends_by(signal.SIGINT)


def test_who_listens_hears_nothing_of_a_program_that_is_killed_or_started_again(own, start):
    program = start()
    program.ask("POST", "run/start")
    with Recording(CALL) as recorder:
        wait_until(lambda: loud(recorder))
        process = asking.found(own.folder.voice_socket).process
        for number in (signal.SIGKILL, signal.SIGTERM):
            program.ends_by(number)
            assert loud(recorder)
            program = start()
            wait_until(program.is_live)
            assert asking.found(own.folder.voice_socket).process == process
            assert loud(recorder)
        # Ctrl-C where it was started in front.
        program.ends_by(signal.SIGINT)
        assert asking.found(own.folder.voice_socket) is None
        wait_until(lambda: silent(recorder))


def test_the_pages_program_computes_nothing_whatever_is_done(start, plugged):
    """Who computes is the worker, who is heard and recorded is the voice: neither compiler nor
    filters are loaded where pages are answered."""
    program = start()
    program.ask("POST", "run/start")
    with Recording(CALL) as recorder:
        wait_until(lambda: loud(recorder))
        plugged(voice())
        program.ask("POST", "takes", purpose="talk", seconds=12)
        wait_until(lambda: program.state()["progress"] is None)
        talk = next(take for take in program.state()["takes"] if take["purpose"] == "talk")
        assert talk["fault"] is None
        for hz in (90.0, 95.0):
            program.ask(
                "PATCH", "settings", stage="highpass", name="frequency_hz", value=hz, pinned=True
            )
        wait_until(lambda: not program.state()["working_out"])
        program.ask("POST", "undo")
        program.ask("POST", "derive")
        program.ask("POST", "tone/fit")
        program.ask("POST", "confirm", step="clean", anyway=True)
        program.ask("PUT", "sources/clips/use", on=True)
        program.ask("POST", "mixes")
        for what in ("sound?version=treated", "frames?version=treated"):
            assert program.fetch("GET", f"takes/{talk['id']}/{what}")
        for what in ("report", "calibration", "calibration/zip", "equalizer?what=impulse"):
            assert program.fetch("GET", what)
        program.ask("POST", "series", second="raw", rounds=8)
        assert program.fetch("GET", "series/sound/one")
        assert program.state()["series"]["rounds"] == 8
        program.ask("POST", "series/end")
        program.ask("POST", "marker")
        wait_until(lambda: program.state()["run"]["marker"] != "sending")
        program.ask("POST", "recordings/start")
        wait_until(lambda: program.state()["recorder"]["seconds"] > 1.0)
        recorded = program.ask("POST", "recordings/stop")["recordings"]
        assert all(row["loudness_lufs"] is not None for row in recorded)
        discarded = program.ask("DELETE", f"takes/{talk['id']}")
        assert talk["id"] not in [take["id"] for take in discarded["takes"]]
        assert loud(recorder)
    assert program.loaded() == []


def test_a_recording_goes_on_without_the_page_and_the_next_one_lists_it(own, start):
    program = start()
    program.ask("POST", "run/start")
    program.ask("POST", "recordings/start")
    wait_until(lambda: program.state()["recorder"]["seconds"] > 1.0)
    program.ends_by(signal.SIGKILL)
    program = start()
    wait_until(program.is_live)
    before = wait_until(lambda: program.state()["recorder"]["seconds"])
    assert before > 1.0
    wait_until(lambda: program.state()["recorder"]["seconds"] > before)
    listed = program.ask("POST", "recordings/stop")["recordings"]
    assert [(row["part"], row["fault"]) for row in listed] == [(1, None)] * len(listed)
    for row, path in zip(listed, own.folder.recordings.iterdir(), strict=True):
        assert row["seconds"] == round(soundfile.info(path).frames / RATE, 1) > before


def test_a_recording_whose_voice_is_killed_is_listed_as_far_as_it_is_whole(live):
    app, _ = live
    choose_tracks(app, ["treated"], "flac", None, None)
    recording.start_recording(app)
    safe_s = wait_until(lambda: shows(app, "recorder").safe_s)
    os.kill(in_voice(app).process, signal.SIGKILL)
    wait_until(lambda: not shows(app, "recorder").recording)
    (row,) = wait_until(lambda: [row for row in shows(app, "recordings") if row.seconds])
    assert row.seconds >= round(safe_s, 1)
