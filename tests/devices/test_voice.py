"""The voice in a process of its own: asked over its socket, on both servers."""

import os
import signal
import stat
import subprocess
import sys
import time

import msgspec
import pytest

from listening import level_of, level_of_tone, strongest_hz
from obsidian_wren.core.chain.gain import GainSpec
from obsidian_wren.core.chain.one_of_each import one_of_each
from obsidian_wren.core.mix.ducking import Ducking
from obsidian_wren.core.mix.engine import Mix, MixSend
from obsidian_wren.voice import asking, records
from own_system import CALL, Recording
from signals import RATE, sine
from waiting import wait_until

pytestmark = pytest.mark.real_time
TONE = sine(1000.0, -20.0, 1.0)
TITLE = "Wren: call"


def gain(gain_db):
    return (records.stage_of(GainSpec(gain_db)),)


def wanted(gain_db=6.0, **more):
    return records.Start(
        "desk",
        0,
        RATE,
        gain(gain_db),
        (records.SeatRecord("call", 0, "call", "Call", TITLE),),
        {TITLE: "voice treated"},
        **more,
    )


class Process:
    """A voice, and who asks it."""

    def __init__(self, path):
        self.path = path
        self.process = asking.begin(
            [sys.executable, "-P", "-m", "obsidian_wren.cli.voice", str(path)]
        )
        asking.await_ready(self.process)

    def asked(self, **more):
        return asking.Asking(self.path, **more)

    def end(self):
        self.process.kill()
        self.process.wait()


@pytest.fixture
def begin(sound_server, tmp_path):
    found = []

    def go(path=tmp_path / "voice.socket"):
        found.append(Process(path))
        return found[-1]

    yield go
    for each in found:
        each.end()


@pytest.fixture
def voice(begin):
    return begin()


def hears(system, level_dbfs):
    """Whether who listens hears the tone at a level; what was on its way comes first."""
    microphone = system.open_microphone(CALL, patience_s=60.0)
    try:
        return abs(level_of_tone(microphone) - level_dbfs) < 0.1
    finally:
        microphone.close()


def test_it_is_live_changed_muted_and_stopped(system, plugged, voice):
    plugged(TONE)
    told = []
    asks = voice.asked(told=lambda kind, body: told.append(kind))
    assert not asks.status().live
    asks.ask(wanted(metered=True))
    wait_until(lambda: hears(system, -14.0))
    asks.ask(records.ChangeChain(gain(-6.0)))
    wait_until(lambda: hears(system, -26.0))
    mixes = (Mix("call", (MixSend("voice treated", -4.0),), 1, 0.0),)
    asks.ask(records.ChangeMixes(mixes, {TITLE: "mix call"}))
    wait_until(lambda: hears(system, -30.0))
    asks.ask(records.Mute(frozenset({"call"})))
    with Recording(CALL) as recorder:
        wait_until(lambda: not recorder.hears().any())
        asks.ask(records.Mute(frozenset()))
        wait_until(lambda: level_of(recorder.hears()) > -40.0)
        status = asks.status()
        assert (status.live, status.process, status.gaps >= 0) == (True, voice.process.pid, True)
        assert status.delay_ms > 10.0
        # What runs is told as it is now.
        assert (status.running.stages, status.running.mixes) == (gain(-6.0), mixes)
        asks.ask(records.Stop())
        wait_until(lambda: not recorder.hears().any())
    assert {"frame", "live"} <= set(told)
    asks.ask(records.End())
    assert voice.process.wait(60) == 0
    wait_until(lambda: system.inputs() == ())


def test_who_asks_is_killed_twenty_times_and_who_listens_hears_it_all_along(system, plugged, voice):
    plugged(TONE)
    voice.asked().ask(wanted())
    wait_until(lambda: hears(system, -14.0))
    ask = (
        "import sys, os, signal; from pathlib import Path;"
        "from obsidian_wren.voice import asking;"
        "asking.Asking(Path(sys.argv[1])).status(); os.kill(os.getpid(), signal.SIGKILL)"
    )
    with Recording(CALL) as recorder:
        wait_until(lambda: level_of(recorder.hears()) > -40.0)
        for _ in range(20):
            killed = subprocess.run([sys.executable, "-P", "-c", ask, str(voice.path)], check=False)
            assert killed.returncode == -signal.SIGKILL
            assert level_of(recorder.hears(1.0)) > -40.0
    # The next one finds it running with what it runs.
    found = voice.asked().status()
    assert (found.process, found.running) == (voice.process.pid, wanted())


def test_a_voice_that_is_killed_is_told_at_once_and_begun_again_as_it_was(
    system, plugged, voice, begin
):
    plugged(TONE)
    lost = []
    asks = voice.asked(lost=lambda: lost.append(time.monotonic()))
    asks.ask(wanted())
    with Recording(CALL) as recorder:
        wait_until(lambda: level_of(recorder.hears()) > -40.0)
        what_ran = asks.status().running
        voice.process.kill()
        wait_until(lambda: lost)
        with pytest.raises(asking.VoiceRefused, match="Start live again"):
            asks.status()
        # Never the raw microphone.
        assert [one.microphone for one in system.listeners()] == [CALL]
        begin().asked().ask(what_ran)
        wait_until(lambda: level_of(recorder.hears()) > -40.0)
        wait_until(lambda: abs(strongest_hz(recorder.hears(0.5)) - 1000.0) < 5.0)


def test_one_that_is_tied_ends_with_who_asked(system, plugged, voice):
    plugged(TONE)
    asks = voice.asked(tied=True)
    asks.ask(wanted())
    other = voice.asked()
    other.close()
    assert asks.status().live
    asks.close()
    assert voice.process.wait(60) == 0
    assert not voice.path.exists()


def test_what_cannot_be_is_refused_and_what_runs_goes_on(system, plugged, voice):
    plugged(TONE)
    asks = voice.asked()
    asks.ask(wanted())
    with pytest.raises(asking.VoiceRefused, match="There is no microphone “boat” now"):
        asks.ask(msgspec.structs.replace(wanted(), microphone="boat"))
    with pytest.raises(asking.VoiceRefused, match="of another version"):
        asks.ask(records.ChangeChain((records.Stage("siren", {}),)))
    with pytest.raises(asking.VoiceRefused, match="of another version"):
        asks.ask(records.ChangeChain((records.Stage("gain", {"gain_db": "much"}),)))
    assert asks.status().live
    wait_until(lambda: hears(system, -14.0))


class Later(records.Record, frozen=True, tag="Later"):
    """A request of a version to come."""


class Stop(records.Record, frozen=True, tag="Stop"):
    """One of now, with a field that is not known yet."""

    gently: bool = True


def test_a_request_of_another_version_is_refused_and_an_unknown_field_passed_over(voice):
    asks = voice.asked()
    with pytest.raises(asking.VoiceRefused, match="of another version"):
        asks.ask(Later())
    asks.ask(Stop(gently=False))
    assert not asks.status().live


def test_only_its_owner_reaches_it_and_its_folder_may_lie_deep(begin, tmp_path):
    deep = tmp_path / ("boathouse-" * 12)
    deep.mkdir()
    voice = begin(deep / "voice.socket")
    assert stat.S_IMODE(voice.path.stat().st_mode) == 0o600
    assert voice.asked().status().process == voice.process.pid
    with pytest.raises(asking.VoiceRefused, match="has ended"):
        asking.Asking(tmp_path / "nobody.socket")


def test_a_microphone_that_goes_away_is_taken_up_again_without_anybody_asking(
    system, plugged, voice
):
    desk = plugged(TONE)
    asks = voice.asked()
    asks.ask(wanted())
    with Recording(CALL) as recorder:
        wait_until(lambda: level_of(recorder.hears()) > -40.0)
        asks.close()
        desk.unplug()
        again = voice.asked()
        wait_until(lambda: "Plug it in" in (again.status().silent_because or ""))
        wait_until(lambda: not recorder.hears().any())
        desk.plug_in()
        wait_until(lambda: level_of(recorder.hears()) > -40.0)
        assert again.status().silent_because is None


def test_every_kind_of_stage_goes_over_the_socket_as_it_is():
    for spec in one_of_each().values():
        sent = msgspec.msgpack.encode(records.stage_of(spec))
        assert records.spec_of(msgspec.msgpack.decode(sent, type=records.Stage)) == spec


def test_a_record_of_before_has_what_is_usual_for_what_it_does_not_hold():
    old = msgspec.msgpack.encode(
        {
            "type": "Start",
            "microphone": "desk",
            "channel": 0,
            "rate_hz": RATE,
            "stages": [],
            "seats": [],
            "inputs": {},
            "ducking": msgspec.to_builtins(Ducking(-40.0, 15.0, 250.0, 400.0)),
        }
    )
    found = msgspec.msgpack.decode(old, type=records.Request)
    assert (found.block_s, found.adapts, found.ducking.hold_ms) == (0.01, True, 250.0)


def test_it_loads_nothing_that_serves_keeps_or_derives():
    code = "import sys, obsidian_wren.cli.voice; print(*sys.modules)"
    ran = subprocess.run(
        [sys.executable, "-P", "-c", code],
        capture_output=True,
        text=True,
        check=True,
        env=os.environ,
    )
    loaded = {name.partition(".")[0] for name in ran.stdout.split()}
    assert not loaded & {"flask", "sqlalchemy", "pydantic", "alembic", "scipy", "soundfile"}
    inside = {name for name in ran.stdout.split() if name.startswith("obsidian_wren.")}
    assert not {name for name in inside if name.split(".")[1] in ("web", "store", "formats")}
