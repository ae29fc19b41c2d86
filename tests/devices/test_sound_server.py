"""The sound of the system, on a server that is started for the test."""

import os
import stat
import subprocess
import tempfile
import threading
import time
from contextlib import closing, suppress
from pathlib import Path

import numpy as np
import pulsectl
import pytest

from listening import Sending, fitted, heard, level_of_tone, strongest_hz, tone
from obsidian_wren.devices.sound_server import control
from obsidian_wren.devices.sound_server.connection import LOST, connected
from obsidian_wren.devices.sound_server.control import SoundServer
from obsidian_wren.devices.sound_server.microphone import ServerMicrophone
from obsidian_wren.devices.sound_server.output import SystemOutput
from obsidian_wren.devices.sound_server.private import private_folder
from obsidian_wren.ports.system_sound import NoSoundServer
from obsidian_wren.ports.world import SourceGone
from obsidian_wren.voice.channel import OneChannel
from obsidian_wren.voice.priority import let_come_first
from private_server import PipeWire, PulseAudio
from signals import RATE, sine
from waiting import wait_until

PAREC = ("parec", f"--rate={RATE}", "--channels=1", "--format=float32le", "--latency-msec=20")
TONE = sine(1000.0, -20.0, 1.0)


def test_a_feed_reaches_who_picks_it_unchanged(system):
    feed = system.ensure_input("call", "Wren: call")
    with Sending(feed, TONE):
        microphone = system.open_microphone("obsidian_wren.call", patience_s=60.0)
        level, rest = tone(microphone)
        microphone.close()
    assert level == pytest.approx(-20.0, abs=0.05)
    assert rest < -96.0


def test_a_feed_of_two_channels_keeps_them_apart(system):
    feed = system.ensure_input("stream", "Wren: stream", 2)
    assert not system.keeps_input("stream", "Wren: stream", 1)
    both = np.column_stack([TONE, sine(400.0, -30.0, 1.0)])
    with Sending(feed, both):
        microphone = system.open_microphone("obsidian_wren.stream", patience_s=60.0)
        assert microphone.channels == 2
        assert level_of_tone(OneChannel(microphone, 0)) == pytest.approx(-20.0, abs=0.1)
        assert level_of_tone(OneChannel(microphone, 1), 400.0) == pytest.approx(-30.0, abs=0.1)
        microphone.close()


@pytest.mark.parametrize("channels", [1, 2, 3, 6, 7, 8, 12, 32])
def test_any_channel_of_a_microphone_of_any_number_of_them_is_read(system, plugged, channels):
    """Which one it is stands in its level: each further one has a decibel less than the first."""
    plugged(TONE[:, None] * 10.0 ** (-np.arange(32) / 20.0), channels=32)
    name = "desk"
    if channels < 32:
        name, numbers = "part", ",".join(f"aux{number}" for number in range(channels))
        with pulsectl.Pulse("a microphone") as pulse:
            pulse.module_load(
                "module-remap-source",
                f"source_name={name} master=desk channels={channels} channel_map={numbers}"
                f" master_channel_map={numbers} remix=no",
            )
        wait_until(lambda: name in {each.name for each in system.microphones()})
    microphone = system.open_microphone(name, patience_s=60.0)
    heard(microphone)
    sound = np.atleast_2d(heard(microphone).T)
    microphone.close()
    levels = [20 * np.log10(np.abs(each).max()) for each in sound]
    assert np.subtract(levels, levels[0]) == pytest.approx(-np.arange(channels), abs=0.1)


def test_what_the_library_makes_no_stream_of_is_said(system, plugged):
    plugged(TONE)
    with pytest.raises(SourceGone, match="offers no stream of 40 channels"):
        ServerMicrophone("desk", rate_hz=RATE, channels=40)
    with pytest.raises(SourceGone, match="offers no stream of 40 channels"):
        SystemOutput("auto_null", rate_hz=RATE, channels=40)


def test_microphones_are_listed_and_monitors_and_ours_are_told(system, plugged):
    plugged(TONE, channels=2)
    plugged(TONE, name="telephone", rate_hz=16_000)
    system.ensure_input("call", "Wren: “call” with 'quotes\"")
    listed = {each.name: each for each in system.microphones()}
    assert set(listed) == {"desk", "telephone", "obsidian_wren.call"}
    assert (listed["desk"].title, listed["desk"].channels) == ("Desk mic", 2)
    assert (listed["desk"].rate_hz, listed["telephone"].rate_hz) == (RATE, 16_000)
    assert (listed["desk"].ours, listed["obsidian_wren.call"].ours) == (False, True)
    system.look()
    assert listed["obsidian_wren.call"].title == system.listed_as("Wren: “call” with 'quotes\"")
    system.make_default("obsidian_wren.call")
    system.set_volume("desk", 50.0)
    system.set_muted("desk", True)
    desk = next(each for each in system.microphones() if each.name == "desk")
    assert (desk.is_default, desk.muted) == (False, True)
    assert desk.volume_percent == pytest.approx(50.0, abs=0.1)
    with pytest.raises(SourceGone, match="Plug it in"):
        system.make_default("not there")


def test_an_input_that_an_earlier_run_left_is_taken_over(system):
    system.ensure_input("call", "Wren: call").close()
    system.set_volume("obsidian_wren.call", 50.0)
    system.set_muted("obsidian_wren.call", True)
    microphone = system.open_microphone("obsidian_wren.call", patience_s=60.0)
    feed = system.ensure_input("call", "Wren: call")
    assert feed.is_whole
    with Sending(feed, TONE):
        # Who listened all along hears the new run, at full volume.
        assert level_of_tone(microphone) == pytest.approx(-20.0, abs=0.5)
    microphone.close()
    assert len(system.inputs()) == 1


def test_an_input_whose_pipe_is_lost_is_made_anew(system, sound_server):
    old = system.ensure_input("call", "Wren: call")
    old.path.unlink()
    assert not old.is_whole
    old.close()
    feed = system.ensure_input("call", "Wren: call")
    with Sending(feed, TONE):
        microphone = system.open_microphone("obsidian_wren.call", patience_s=60.0)
        assert level_of_tone(microphone) == pytest.approx(-20.0, abs=0.5)
        microphone.close()
    system.remove_inputs()
    assert system.inputs() == ()
    assert not feed.path.exists()


@pytest.mark.parametrize("sound_server", [PulseAudio], ids=["PulseAudio"], indirect=True)
def test_a_thread_that_reads_a_pipe_beside_other_programs_is_found_and_let_before_them(
    system, sound_server
):
    feed = system.ensure_input("call", "Wren: call")
    feed.close()
    (server,) = sound_server._processes
    (thread,) = (
        int(each.parent.name)
        for each in Path(f"/proc/{server.pid}/task").glob("*/comm")
        if each.read_text() == "pipe-source\n"
    )
    os.sched_setscheduler(thread, os.SCHED_OTHER, os.sched_param(0))
    feed = system.ensure_input("call", "Wren: call")
    feed.close()
    assert feed.held_up == ((server.pid, thread),)
    if let_come_first(server.pid, thread):
        feed = system.ensure_input("call", "Wren: call")
        feed.close()
        assert feed.held_up == ()


def test_a_second_run_may_not_write_into_the_same_input(system):
    feed = system.ensure_input("call", "Wren: call")
    with pytest.raises(
        NoSoundServer, match="Another Obsidian Wren of yours already feeds “Wren: call”"
    ):
        system.ensure_input("call", "Wren: call")
    feed.close()
    system.ensure_input("call", "Wren: call").close()


def test_what_is_played_to_an_output_is_heard_at_its_monitor(system):
    name = system.ensure_output("back", "Wren: from the call")
    output = system.open_output(name, rate_hz=RATE, channels=2)
    with Sending(output, np.repeat(TONE[:, None], 2, axis=1)):
        monitor = system.open_microphone(system.monitor_of(name), patience_s=60.0)
        sound = monitor.read(RATE)
        monitor.close()
    output.close()
    level, rest = min(
        (fitted(part, 1000.0) for part in np.split(sound[:, 0], 50)),
        key=lambda each: each[1] - each[0],
    )
    assert level == pytest.approx(-20.0, abs=0.05)
    assert rest < -90.0
    system.remove_output("back")
    with pytest.raises(SourceGone):
        system.open_output(name, rate_hz=RATE, channels=2)


def test_the_computer_is_seen_as_it_stands(system, plugged, sound_server):
    plugged(TONE, channels=2)
    system.ensure_input("call", "Wren: call").close()
    system.set_device("desk", "slider_percent", 85)
    system.set_device("desk", "is_default", True)
    assert system.look()
    seen = system.seen
    assert (seen.server, seen.missing) == (sound_server.name, None)
    found = {each.id: each for each in seen.devices}
    desk = found["desk"]
    assert (desk.direction, desk.kind, desk.rate_hz, desk.channels) == (
        "input",
        "interface",
        RATE,
        2,
    )
    assert (desk.slider_percent, desk.is_default, desk.muted) == (85.0, True, False)
    assert desk.processing is None
    assert found["obsidian_wren.call"].kind == "feed"
    assert not any(name.endswith(".monitor") for name in found)
    assert {each.direction for each in seen.devices} == {"input", "output"}
    assert not system.look()
    with pytest.raises(NoSoundServer, match="sound settings of the system"):
        system.set_device("desk", "rate_hz", 44_100)


def test_processing_of_the_server_is_seen(system, plugged):
    plugged(TONE)
    with pulsectl.Pulse("other") as pulse:
        pulse.module_load("module-echo-cancel", "source_name=cancelled source_master=desk")
    wait_until(lambda: system.look() or "cancelled" in {each.id for each in system.seen.devices})
    found = {each.id: each.processing for each in system.seen.devices}
    assert (found["desk"], found["cancelled"]) == (None, "Echo cancelling")


@pytest.mark.skipif(os.getuid() != 0, reason="only root can be somebody else")
def test_a_second_user_reaches_neither_the_pipe_nor_the_server(sound_server, monkeypatch):
    """A state folder that everybody may enter, as without a session's own directory."""
    with tempfile.TemporaryDirectory(dir="/tmp") as open_to_all:
        Path(open_to_all).chmod(0o755)
        monkeypatch.delenv("XDG_RUNTIME_DIR")
        monkeypatch.setenv("XDG_STATE_HOME", open_to_all)
        system = SoundServer()
        feed = system.ensure_input("call", "Wren: call")
        assert feed.path.is_relative_to(open_to_all)
        # The server itself makes it open to everybody.
        assert stat.S_IMODE(feed.path.stat().st_mode) & 0o006
        socket = os.environ["PULSE_SERVER"].removeprefix("unix:")
        for path in (feed.path, feed.path.with_suffix(".lock"), socket):
            told = subprocess.run(
                ["/usr/bin/stat", str(path)],
                user=65534,
                capture_output=True,
                text=True,
                check=False,
            )
            assert told.returncode != 0
            assert "Permission denied" in told.stderr
        feed.close()


def test_a_feed_without_listeners_never_waits(system):
    feed = system.ensure_input("call", "Wren: call")
    for _ in range(500):
        feed.write(np.zeros(480))
    assert feed.is_whole


def test_a_microphone_that_goes_away_is_told_and_never_replaced(system, plugged):
    desk = plugged(TONE)
    plugged(sine(440.0, -20.0, 1.0), name="other")
    microphone = system.open_microphone("desk")
    desk.unplug()
    with pytest.raises(SourceGone, match="was disconnected"):
        for _ in range(1000):
            microphone.read(480)
    microphone.close()
    with pytest.raises(SourceGone, match="is not there now"):
        system.open_microphone("desk")
    with pytest.raises(SourceGone, match="could not be opened"):
        ServerMicrophone("desk", rate_hz=RATE, channels=1)
    desk.plug_in()
    again = system.open_microphone("desk")
    assert strongest_hz(heard(again)) == pytest.approx(1000.0, abs=8.0)
    again.close()


# As long as the server keeps all of it, and longer.
@pytest.mark.parametrize("away_s", [0.4, 2.5])
def test_a_slow_reader_loses_the_oldest_and_counts_it(system, plugged, away_s):
    desk = plugged(np.full(RATE, 0.1))
    microphone = system.open_microphone("desk")
    assert microphone.read(480)[-1] == pytest.approx(0.1, abs=1e-3)
    assert microphone.gaps == 0
    desk.say(np.full(RATE, 0.3))
    time.sleep(away_s)
    # What is whole already is read first.
    late = [microphone.read(480) for _ in range(10)][-1]
    # Once for each of the goes in which the server gives what it kept.
    assert microphone.gaps >= 1
    assert late == pytest.approx(0.3, abs=1e-3)
    # What is left is not a backlog of the time that nobody read.
    assert microphone._came.waiting <= 3 * 480 + 240
    microphone.close()


def test_who_waits_for_sound_is_told_that_it_was_closed(system, sound_server):
    # An input that nothing is written to sends nothing, but for what a server begins with.
    system.ensure_input("call", "Wren: call").close()
    microphone = system.open_microphone("obsidian_wren.call")
    told = []

    def read():
        with pytest.raises(SourceGone, match="it was closed"):
            while True:
                microphone.read(480)
        told.append(time.monotonic())

    reader = threading.Thread(target=read)
    reader.start()
    wait_until(microphone._serving.locked)
    microphone.close()
    reader.join()
    assert told


def test_a_program_that_records_is_seen_and_moved_to_our_input(system, plugged):
    plugged(TONE)
    feed = system.ensure_input("call", "Wren: call")
    program = subprocess.Popen(
        [*PAREC, "--device=desk", "--client-name=Walk recorder"],
        stdout=subprocess.PIPE,
    )
    try:
        # A server may list it before it hears anything.
        listener = wait_until(
            lambda: next((one for one in system.listeners() if one.microphone), None)
        )
        assert (listener.program, listener.process_id) == ("Walk recorder", program.pid)
        assert (listener.microphone, listener.hears_us, listener.muted) == ("desk", False, False)
        with Sending(feed, sine(440.0, -20.0, 1.0)):

            def moves():
                system.move_listener(listener.index, "obsidian_wren.call")
                return next((one for one in system.listeners() if one.hears_us), None)

            # A busy server tells of it a moment later, or has to be asked again.
            moved = wait_until(moves, every_s=0.5)
            assert moved.index == listener.index

            def hears_us():
                sound = np.frombuffer(program.stdout.read(RATE), dtype=np.float32)
                return abs(strongest_hz(sound) - 440.0) < 5.0

            wait_until(hears_us)
        with pytest.raises(SourceGone):
            system.move_listener(99_999, "desk")
    finally:
        program.kill()
        program.wait()
    wait_until(lambda: system.listeners() == ())


def test_a_default_that_changes_while_the_computer_is_looked_at_is_of_the_same_moment(
    system, plugged, monkeypatch
):
    """Or whom a server moves with it is taken for somebody who went of its own accord."""
    plugged(np.zeros(RATE), name="desk")
    plugged(np.zeros(RATE), name="other")
    system.make_default("desk")
    read, defaults = control._listeners, ["other"]

    def listeners(pulse):
        while defaults:
            system.make_default(defaults.pop())
            wait_until(lambda: {one.name: one for one in system.microphones()}["other"].is_default)
        return read(pulse)

    monkeypatch.setattr(control, "_listeners", listeners)
    system.look()
    assert [
        one.id for one in system.seen.devices if one.is_default and one.direction == "input"
    ] == ["other"]


def test_what_changes_is_told(system, plugged):
    told = threading.Event()
    end = system.watch(told.set)
    time.sleep(0.2)
    told.clear()
    desk = plugged(TONE)
    wait_until(told.is_set)
    told.clear()
    desk.unplug()
    wait_until(told.is_set)
    end()


def opened(system):
    """A server that has just begun may be too busy to answer in time."""
    with suppress(SourceGone):
        return system.open_microphone("obsidian_wren.call", patience_s=60.0)


def test_a_server_that_ends_and_comes_back(system, sound_server, plugged):
    told = threading.Event()
    plugged(TONE)
    system.ensure_input("call", "Wren: call").close()
    microphone = system.open_microphone("desk")
    microphone.read(480)
    end = system.watch(told.set)
    sound_server.end()
    with pytest.raises(SourceGone, match="sound server went away"):
        for _ in range(1000):
            microphone.read(480)
    microphone.close()
    with pytest.raises(NoSoundServer, match="No sound server answers"):
        system.microphones()
    told.clear()
    sound_server.start()
    wait_until(told.is_set)
    feed = system.ensure_input("call", "Wren: call")
    with Sending(feed, TONE):
        again = wait_until(lambda: opened(system))
        assert level_of_tone(again) == pytest.approx(-20.0, abs=0.5)
        again.close()
    end()


def test_a_server_that_ends_while_it_is_asked_is_told_as_lost(system, sound_server):
    with pytest.raises(LOST), connected() as pulse:
        sound_server.end()
        # The first answer says that the connection is over; what is asked then is no call any more.
        for _ in range(3):
            with suppress(pulsectl.PulseError):
                pulse.source_list()
    system.look()
    assert system.seen.missing[0] == "no-server"


@pytest.mark.parametrize("sound_server", [PipeWire], indirect=True)
def test_a_manager_that_ended_is_started_again(system, sound_server):
    manager = sound_server._processes[2]
    manager.kill()
    feed = system.ensure_input("call", "Wren: call")
    with Sending(feed, TONE):
        microphone = wait_until(lambda: opened(system))
        assert level_of_tone(microphone) == pytest.approx(-20.0, abs=0.5)
        microphone.close()
    assert manager.poll() is not None


def test_without_a_server_it_says_what_to_do(system, monkeypatch):
    monkeypatch.setenv("PULSE_SERVER", "unix:/nonexistent/native")
    with pytest.raises(NoSoundServer, match="Start PipeWire or PulseAudio"):
        system.microphones()
    monkeypatch.setattr("obsidian_wren.devices.sound_server.libpulse.is_there", lambda: False)
    with pytest.raises(NoSoundServer, match="libpulse0"):
        system.microphones()


def test_the_servers_own_streams_are_no_listeners(system, plugged):
    plugged(TONE)
    with pulsectl.Pulse("other") as pulse:
        pulse.module_load("module-null-sink", "sink_name=elsewhere")
        pulse.module_load("module-loopback", "source=desk sink=elsewhere")
        wait_until(pulse.source_output_list)
    assert system.listeners() == ()


def test_a_server_that_is_not_there_is_not_waited_for(monkeypatch):
    monkeypatch.setenv("PULSE_SERVER", "unix:/nonexistent/native")
    monkeypatch.setattr(ServerMicrophone, "_serve", lambda *_: pytest.fail("it waited"))
    with pytest.raises(SourceGone, match="the sound server went away"):
        ServerMicrophone("desk", rate_hz=RATE, channels=1)


TITLES = ("null", "true", "1", "Ü; a=b", "0x10", "~", "Bea's", '3" wide', "C:\\desk\\", "\\'\"")


@pytest.mark.parametrize("title", TITLES)
def test_a_feed_of_any_title_is_listed_under_it(system, title):
    system.look()
    listed = system.listed_as(title)
    if system.name == "PulseAudio" or not set(title) & set("'\"\\"):
        assert listed == title
    else:
        assert len(listed) == len(title)
    with closing(system.ensure_input("odd", title)):
        assert [each.title for each in system.inputs()] == [listed]
    # What is there already is taken over, under whatever it is listed as.
    assert system.keeps_input("odd", title)
    assert system.keeps_input("odd", listed)
    system.remove_inputs()


def test_pipes_lie_in_no_folder_that_is_not_ours_alone(tmp_path, monkeypatch):
    shared = tmp_path / "shared"
    shared.mkdir(mode=0o777)
    shared.chmod(0o1777)
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(shared))
    folder = private_folder()
    assert stat.S_IMODE(folder.stat().st_mode) == 0o700
    # One that was left open is closed.
    folder.chmod(0o777)
    assert stat.S_IMODE(private_folder().stat().st_mode) == 0o700
    folder.rmdir()
    (tmp_path / "theirs").mkdir()
    folder.symlink_to(tmp_path / "theirs")
    with pytest.raises(NoSoundServer, match="not private to you"):
        private_folder()
    folder.unlink()
    folder.write_text("no folder")
    with pytest.raises(NoSoundServer, match="not private to you"):
        private_folder()
    folder.unlink()
    if os.geteuid() == 0:
        folder.mkdir(mode=0o700)
        os.chown(folder, 65534, 65534)
        with pytest.raises(NoSoundServer, match="not private to you"):
            private_folder()
