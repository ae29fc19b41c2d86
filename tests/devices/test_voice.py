"""The voice in a process of its own: asked over its socket, on both servers."""

import os
import signal
import stat
import subprocess
import sys
import threading
import time
from types import SimpleNamespace

import msgspec
import numpy as np
import pytest

from listening import level_of, level_of_tone, strongest_hz
from obsidian_wren.core.chain.gain import GainSpec
from obsidian_wren.core.chain.one_of_each import one_of_each
from obsidian_wren.core.mix.ducking import Ducking
from obsidian_wren.core.mix.engine import Mix, MixSend
from obsidian_wren.core.mix.marker import MarkerSearch, marker_codes
from obsidian_wren.devices.browser import BrowserStream
from obsidian_wren.devices.sound_server.feed import PipeFeed
from obsidian_wren.ports.world import SourceGone
from obsidian_wren.voice import asking, beginning, records, serving
from obsidian_wren.voice.engine import Voice
from obsidian_wren.voice.shared import TracksReader
from own_system import CALL, Playing, Recording, sink, tone_of
from signals import RATE, sine
from waiting import PATIENCE_S, wait_until

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
        self.process = beginning.begin(
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
    """Whether who listens hears the tone at a level; what was on its way comes first. A machine
    that stands still for some seconds gives nothing."""
    microphone = system.open_microphone(CALL, patience_s=60.0)
    try:
        return abs(level_of_tone(microphone) - level_dbfs) < 0.1
    except SourceGone:
        return False
    finally:
        microphone.close()


def test_it_is_live_changed_muted_and_stopped(system, plugged, voice):
    plugged(TONE)
    told = []
    asks = voice.asked(told=lambda kind, body: told.append(kind))
    assert not asks.status().live
    asks.ask(wanted())
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
    assert "live" in told
    asks.ask(records.End())
    assert voice.process.wait(60) == 0
    wait_until(lambda: system.inputs() == ())


def tone_dbfs(sound, hz):
    at_s = np.arange(len(sound)) / RATE
    return 20.0 * np.log10(2.0 * abs(np.mean(sound * np.exp(-2j * np.pi * hz * at_s))))


@pytest.mark.parametrize("microphone", ["desk", "chair"])
def test_a_person_beside_is_heard_through_their_own_chain(system, plugged, voice, microphone):
    """On the other channel of the same device, and on a device of their own."""
    other = sine(440.0, -20.0, 1.0)
    plugged(np.column_stack([TONE, other]), channels=2)
    plugged(np.column_stack([0.0 * other, other]), channels=2, name="chair", title="Chair mic")
    person = records.PersonRecord(microphone, 1, gain(-6.0))
    sends = MixSend("voice treated", 0.0), MixSend("person treated", 0.0)
    asked = msgspec.structs.replace(
        wanted(-3.0, sources=frozenset({"person"}), person=person),
        inputs={TITLE: "mix call"},
        mixes=(Mix("call", sends, 1, 0.0),),
    )
    voice.asked().ask(asked)
    with Recording(CALL) as recorder:

        def both():
            heard = recorder.hears(0.5)
            return [tone_dbfs(heard, hz) for hz in (1000.0, 440.0)]

        # A rate that follows another clock bends the tone a little.
        wait_until(lambda: np.allclose(both(), [-23.0, -26.0], atol=0.3))


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
            assert level_of(recorder.hears()) > -40.0
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
    with pytest.raises(asking.VoiceRefused, match="The microphone “boat” is not there now"):
        asks.ask(msgspec.structs.replace(wanted(), microphone="boat"))
    with pytest.raises(asking.VoiceRefused, match="from another version"):
        asks.ask(records.ChangeChain((records.StageRecord("siren", {}),)))
    with pytest.raises(asking.VoiceRefused, match="from another version"):
        asks.ask(records.ChangeChain((records.StageRecord("gain", {"gain_db": "much"}),)))
    assert asks.status().live
    wait_until(lambda: hears(system, -14.0))


class Later(records.Record, frozen=True, tag="Later"):
    """A request of a version to come."""


class Stop(records.Record, frozen=True, tag="Stop"):
    """One of now, with a field that is not known yet."""

    gently: bool = True


def test_a_request_of_another_version_is_refused_and_an_unknown_field_passed_over(voice):
    asks = voice.asked()
    with pytest.raises(asking.VoiceRefused, match="from another version"):
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
        assert records.spec_of(msgspec.msgpack.decode(sent, type=records.StageRecord)) == spec


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


def test_a_marker_is_sent_and_what_arrived_at_each_feed_comes_back(system, plugged, voice):
    plugged(0.01 * TONE)
    voice.asked().ask(wanted(gain_db=0.0))
    codes = marker_codes({"call": 0}, -45.0, {"call": -20.0}, rate_hz=RATE)
    request = records.SendMarker(records.bytes_of(codes.raw), records.bytes_of(codes.treated), {})
    told = voice.asked()

    def found():
        # A computer that stood still for too long is live no more.
        if not told.status().live:
            told.ask(wanted(gain_db=0.0))
        try:
            heard = told.ask(request, patience_s=PATIENCE_S).at["call"]
        except (asking.VoiceRefused, KeyError):
            return False
        sound = records.samples_of(heard.heard)
        search = MarkerSearch(sound, rate_hz=heard.rate_hz)
        assert search.find("raw", sent_level_dbfs=-45.0) is None
        assert heard.arrived_s >= heard.began_s
        treated = search.find("treated", sent_level_dbfs=-45.0)
        # Where a busy machine held it up, pieces are missing, and it is sent again.
        return treated is not None and abs(treated.level_db) < 0.5

    wait_until(found)
    voice.asked().ask(records.Stop())
    with pytest.raises(asking.VoiceRefused, match="You are not live"):
        told.ask(request)


def test_headphones_clips_returns_and_the_computers_sound_take_part(system, plugged, voice):
    plugged(TONE)
    for name in ("phones", "speakers", "back"):
        sink(name)
    seats = (
        records.SeatRecord("call", 0, "call", "Call", TITLE),
        records.SeatRecord("headphones", 1, "headphones", "Headphones", None, 2),
    )
    sends = {
        "call": ("clips",),
        "headphones": ("voice treated", "computer", "return-call", "clips"),
    }
    start = wanted(
        mixes=tuple(
            Mix(key, tuple(MixSend(name, -6.0) for name in names), channels, 0.0)
            for (key, names), channels in zip(sends.items(), (1, 2), strict=True)
        ),
        sources=frozenset({"clips", "computer"}),
        returns={"call": ()},
        ends=records.Ends({"headphones": "phones"}, {"call": "back.monitor"}, "speakers.monitor"),
    )
    asks = voice.asked()
    asks.ask(msgspec.structs.replace(start, seats=seats, inputs={TITLE: "mix call"}))
    with (
        Playing(3000.0, sink="speakers"),
        Playing(2000.0, sink="back"),
        Recording("phones.monitor", "ear") as ear,
        Recording(CALL) as call,
    ):
        tones = (1000.0, 2000.0, 3000.0)

        def stands():
            with Recording("speakers.monitor") as speakers, Recording("back.monitor") as back:
                sounds = [each.hears(0.5) for each in (ear, speakers, back, call)]
            levels = [[round(tone_of(sound, hz)) for hz in tones] for sound in sounds]
            return f"at ear, speakers, back, call: {levels}; {asks.status()}"

        for hz in tones:
            wait_until(lambda hz=hz: tone_of(ear.hears(0.5), hz) > -50.0, tell=stands)
        assert tone_of(call.hears(0.5), 3000.0) < -90.0
        asks.ask(records.PressClip(7, records.bytes_of(sine(500.0, -20.0, 20.0))))
        wait_until(lambda: tone_of(call.hears(0.5), 500.0) > -50.0)
        asks.ask(records.PressClip(7))
        wait_until(lambda: tone_of(call.hears(0.5), 500.0) < -90.0)

        def came_back():
            sound = asks.ask(records.AskSound("call", "returned", 0.25))
            return tone_of(records.samples_of(sound.samples), 2000.0)

        wait_until(lambda: came_back() > -50.0)
        asks.ask(records.TreatReturn("call", gain(-60.0)))
        wait_until(lambda: tone_of(ear.hears(0.5), 2000.0) < -70.0)
        asks.ask(records.Ends({}, {}, None))
        wait_until(lambda: not ear.hears().any())


def test_tracks_are_read_by_who_asked_for_them_while_it_is_live(system, plugged, voice):
    plugged(TONE)
    asks = voice.asked()
    share = records.Share(
        "raw", (records.Track("voice at once"), records.Track("voice treated", 2))
    )
    with pytest.raises(asking.VoiceRefused, match="You are not live"):
        asks.ask(share)
    asks.ask(wanted())
    shared = asks.ask(share)
    assert (shared.tracks, shared.rate_hz) == (3, RATE)
    reader = TracksReader(shared.place, shared.tracks, shared.frames)

    def levels():
        sound = reader.read(RATE)
        return (
            [round(level_of(track)) for track in sound[-4800:].T] if len(sound) > RATE // 4 else 0
        )

    wait_until(lambda: levels() == [-20, -14, -14], every_s=0.3)
    asks.ask(msgspec.structs.replace(share, tracks=()))
    at = wait_until(lambda: reader.position)
    time.sleep(0.1)
    assert reader.position == at
    reader.close()


def inputs(system):
    return {each.key: each.title for each in system.inputs()}


def test_feeds_are_there_as_long_as_they_are_wanted_or_recorded(system, plugged, voice):
    plugged(TONE)
    asks = voice.asked()
    call, stream = records.FeedRecord(TITLE), records.FeedRecord("Wren: stream", 2)
    assert asks.ask(records.Feeds({"call": call, "stream": stream})).of == {}
    assert inputs(system) == {"call": TITLE, "stream": "Wren: stream"}
    assert asks.status().feeds == ("call", "stream")
    with Recording(CALL) as recorder:
        wait_until(lambda: not recorder.hears().any())
        asks.ask(wanted())
        wait_until(lambda: level_of(recorder.hears()) > -40.0)
        asks.ask(records.Feeds({"call": records.FeedRecord("Loft desk")}))
        assert inputs(system) == {"call": "Loft desk"}
        assert [one.microphone for one in system.listeners() if one.hears_us] == [CALL]
        asks.ask(records.Stop())
        asks.ask(records.Feeds({}))
        # Somebody records it, so it is there and silent.
        assert inputs(system) == {"call": "Loft desk"}
        wait_until(lambda: not recorder.hears().any())
    wait_until(lambda: not asks.ask(records.Feeds({})).of and inputs(system) == {})


def test_a_feed_of_another_copy_is_told_and_the_others_are_made(system, voice):
    other = system.ensure_input("call", TITLE)
    feeds = {"call": records.FeedRecord(TITLE), "stream": records.FeedRecord("Wren: stream")}
    troubles = voice.asked().ask(records.Feeds(feeds)).of
    assert list(troubles) == ["call"]
    assert "Another Obsidian Wren of yours" in troubles["call"]
    other.close()
    assert voice.asked().ask(records.Feeds(feeds)).of == {}
    assert set(inputs(system)) == {"call", "stream"}


def test_where_the_time_of_each_path_goes_is_said(system, plugged, voice):
    plugged(TONE)
    asks = voice.asked()
    asks.ask(wanted(block_s=0.02, adapts=False))
    wait_until(lambda: asks.status().delay_ms)
    found = asks.status().seats["call"]
    assert (found.block_ms, found.chain_ms, found.mix_ms) == (20.0, 0.0, 0.0)


def test_a_voice_that_nobody_needs_ends(tmp_path, monkeypatch):
    """Nobody asks, and nothing is live; what is live goes on, unless nobody can reach it."""
    monkeypatch.setattr(serving, "_LOOK_S", 0.01)
    monkeypatch.setattr(serving, "_ALONE_S", 0.1)
    engine = SimpleNamespace(is_needed=True)
    door = serving.Serving(tmp_path / "voice.socket")
    door.answer(engine)
    waiting = threading.Thread(target=door.wait, daemon=True)
    waiting.start()
    waiting.join(0.5)
    assert waiting.is_alive()
    engine.is_needed = False
    waiting.join(PATIENCE_S)
    assert not (tmp_path / "voice.socket").exists()
    lost = serving.Serving(tmp_path / "voice.socket")
    lost.answer(SimpleNamespace(is_needed=True))
    (tmp_path / "voice.socket").unlink()
    lost.wait()


def test_who_listens_to_an_input_that_is_not_read_joins_it_anew(system, tmp_path, monkeypatch):
    joined, move = [], system.move_listener
    monkeypatch.setattr(system, "move_listener", lambda *to: (joined.append(to[1]), move(*to)))
    here = Voice(system, lambda kind, body: None, tmp_path, BrowserStream)
    try:
        here.feeds(records.Feeds({"call": records.FeedRecord(TITLE)}))
        with Recording(CALL) as recorder:
            wait_until(lambda: [each.microphone for each in system.seen.listeners] == [CALL])
            with monkeypatch.context() as patched:
                patched.setattr(PipeFeed, "unread_s", 10.0)
                wait_until(lambda: CALL in joined)
            # Nothing else is heard meanwhile.
            assert joined[0].endswith("aside.monitor")
            wait_until(lambda: [each.microphone for each in system.seen.listeners] == [CALL])
            assert not recorder.hears().any()
        wait_until(lambda: "aside" not in " ".join(device.id for device in system.seen.devices))
    finally:
        here.end()
