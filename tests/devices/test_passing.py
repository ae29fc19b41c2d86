"""The program between a microphone of the system and a program that listens, without the page."""

import json
import os
import signal
import subprocess
import sys

import pytest

from listening import Sending, level_of, level_of_tone
from obsidian_wren.cli.main import main
from obsidian_wren.cli.voice_ahead import sweep
from own_system import Recording
from signals import RATE, sine
from waiting import wait_until

pytestmark = pytest.mark.real_time
TONE = sine(1000.0, -20.0, 1.0)


@pytest.fixture
def calibration(tmp_path):
    """Six decibels and nothing else."""
    gain = {"value": 6.0, "unit": "dB", "derived": False, "pinned": True, "because": "for the test"}
    path = tmp_path / "six-up.json"
    path.write_text(
        json.dumps(
            {
                "format": "obsidian-wren/calibration",
                "version": 1,
                "rig": {},
                "readings": {},
                "chain": [{"kind": "gain", "on": True, "settings": {"gain_db": gain}}],
                "feeds": [],
            }
        )
    )
    return path


class Running:
    """``obsidian-wren live`` and what it told."""

    def __init__(self, *arguments):
        self.process = subprocess.Popen(
            [
                sys.executable,
                "-P",
                "-m",
                "obsidian_wren.cli",
                "live",
                "--json",
                *map(str, arguments),
            ],
            stdout=subprocess.PIPE,
            text=True,
        )

    def told(self, what):
        """The next thing told of which ``what`` is true."""
        for line in self.process.stdout:
            found = json.loads(line)
            if what(found):
                return found
        raise AssertionError("it ended before it was told")

    def end(self, number=signal.SIGINT):
        self.process.send_signal(number)
        return self.process.wait(20)


def level(system, name="obsidian_wren.command-line"):
    microphone = system.open_microphone(name, patience_s=60.0)
    try:
        return level_of_tone(microphone)
    finally:
        microphone.close()


def sounds(passing):
    return passing["silent_because"] is None


def test_a_microphone_goes_through_a_calibration_into_a_named_input(system, plugged, calibration):
    desk = plugged(TONE, channels=2)
    # It is never picked itself, though the system's default.
    system.ensure_input("call", "Wren: call")
    system.make_default("obsidian_wren.call")
    running = Running("--calibration", calibration, "--as", "Wren: trial", "--microphone", "Desk")
    try:
        found = running.told(sounds)
        assert found["peak_dbfs"] == pytest.approx(-14.0, abs=0.1)
        assert 10.0 < found["delay_ms"] < 100.0
        titles = {each.name: each.title for each in system.microphones()}
        assert titles["obsidian_wren.command-line"] == "Wren: trial"
        assert level(system) == pytest.approx(-14.0, abs=0.1)
        desk.unplug()
        assert "Plug it in" in running.told(lambda told: not sounds(told))["silent_because"]
        desk.plug_in()
        running.told(sounds)
        assert level(system) == pytest.approx(-14.0, abs=0.1)
        assert running.end() == 0
    finally:
        running.process.kill()
    assert {each.key for each in system.inputs()} == {"call"}


def test_a_killed_run_leaves_silence_that_the_next_one_takes_over(system, plugged, calibration):
    plugged(TONE)
    first = Running("--calibration", calibration)
    first.told(sounds)
    with Recording("obsidian_wren.command-line") as recorder:
        wait_until(lambda: level_of(recorder.hears()) > -30.0)
        first.end(signal.SIGKILL)
        second = Running("--calibration", calibration)
        try:
            second.told(sounds)
            wait_until(lambda: level_of(recorder.hears()) > -30.0)
        finally:
            recorder.process.kill()
            assert second.end(signal.SIGTERM) == 0
    wait_until(lambda: system.inputs() == ())


def test_who_records_it_hears_silence_when_it_ends_and_goes_on_with_the_next(
    system, plugged, calibration
):
    plugged(TONE)
    first = Running("--calibration", calibration)
    first.told(sounds)
    with Recording("obsidian_wren.command-line") as recorder:
        wait_until(lambda: level_of(recorder.hears()) > -30.0)
        assert first.end() == 0
        # What was on its way comes first.
        wait_until(lambda: not recorder.hears().any())
        second = Running("--calibration", calibration, "--as", "Wren: another")
        try:
            second.told(sounds)
            wait_until(lambda: level_of(recorder.hears()) > -30.0)
            assert [each.title for each in system.inputs()] == ["Wren: another"]
            assert second.end(signal.SIGTERM) == 0
        finally:
            second.process.kill()
        wait_until(lambda: not recorder.hears().any())
        assert not recorder.hears(1.0).any()
        assert [one.hears_us for one in system.listeners()] == [True]
    wait_until(lambda: system.inputs() == ())


@pytest.mark.parametrize("rate_hz", [16_000, 44_100])
def test_a_microphone_of_another_rate_keeps_its_pitch(system, plugged, calibration, rate_hz):
    plugged(sine(1000.0, -20.0, 1.0, rate_hz=rate_hz), rate_hz=rate_hz)
    # Left behind by a run that called it something else.
    system.ensure_input("command-line", "Wren: before").close()
    running = Running("--calibration", calibration, "--as", "Wren: now")
    try:
        running.told(sounds)
        assert level(system) == pytest.approx(-14.0, abs=0.3)
        assert [each.title for each in system.inputs()] == ["Wren: now"]
    finally:
        running.end()


def test_blocks_may_be_as_short_as_a_person_says(system, plugged, calibration):
    plugged(TONE)
    running = Running("--calibration", calibration, "--as", "Wren: now", "--block", "2.5")
    try:
        assert running.told(sounds)["delay_ms"] > 0.0
        assert level(system) == pytest.approx(-14.0, abs=0.3)
    finally:
        running.end()


def test_what_cannot_be_run_is_said(system, plugged, calibration, capsys, monkeypatch):
    assert main(["live", "--calibration", str(calibration)]) == 2
    assert "There is no such microphone; the system has none." in capsys.readouterr().err
    plugged(TONE)
    assert main(["live", "--calibration", str(calibration), "--microphone", "boat"]) == 2
    assert "the system has “Desk mic”" in capsys.readouterr().err
    assert main(["live", "--calibration", str(calibration), "--channel", "2"]) == 2
    assert "“Desk mic” has channels 1 to 1" in capsys.readouterr().err
    assert main(["live", "--calibration", str(calibration), "--block", "0.5"]) == 2
    assert "A block lasts 2 to 100 ms." in capsys.readouterr().err
    monkeypatch.setenv("PULSE_SERVER", "unix:/nonexistent/native")
    assert main(["devices"]) == 2
    assert "Start PipeWire or PulseAudio" in capsys.readouterr().err


def test_devices_lists_microphones_inputs_and_who_records(system, plugged, capsys, sound_server):
    plugged(TONE, channels=2)
    feed = system.ensure_input("call", "Wren: call")
    program = subprocess.Popen(
        ["parec", "--device=obsidian_wren.call", "--client-name=Walk recorder"],
        stdout=subprocess.DEVNULL,
    )
    try:
        wait_until(system.listeners)
        with Sending(feed, TONE):
            assert main(["devices", "--json"]) == 0
        found = json.loads(capsys.readouterr().out)
        assert found["server"] == sound_server.name
        assert [(each["title"], each["ours"]) for each in found["microphones"]] == [
            ("Desk mic", False),
            ("Wren: call", True),
        ]
        assert found["inputs"] == [{"key": "call", "title": "Wren: call"}]
        (listener,) = found["listeners"]
        assert (listener["program"], listener["hears_us"]) == ("Walk recorder", True)
        assert main(["devices"]) == 0
        said = capsys.readouterr().out
        assert f"Desk mic (desk): {RATE} Hz, 2 ch, volume 100 %" in said
        assert "Walk recorder records from obsidian_wren.call" in said
    finally:
        program.kill()
        program.wait()


def test_sockets_of_those_that_were_killed_are_swept(tmp_path):
    killed = subprocess.Popen(["true"])
    killed.wait()
    there = tmp_path / f"live-{os.getpid()}.socket"
    for path in (there, tmp_path / f"live-{killed.pid}.socket", tmp_path / "voice.socket"):
        path.touch()
    sweep(tmp_path)
    assert sorted(tmp_path.iterdir()) == [there, tmp_path / "voice.socket"]
