"""Mistakes that people make in the programs that listen, seeded, and told apart by sound; and
set-ups with nothing wrong in them."""

from dataclasses import dataclass, field

import numpy as np
import pytest

from obsidian_wren.core.chain.gain import GainSpec
from obsidian_wren.core.chain.limiter import LimiterSpec
from obsidian_wren.core.measure.words import find_words
from obsidian_wren.core.mix.audit import ListenerFacts, audit_listener
from obsidian_wren.core.mix.ducking import Ducking
from obsidian_wren.core.mix.engine import Mix, MixSend
from obsidian_wren.core.mix.marker import marker_codes, marker_level_dbfs
from obsidian_wren.core.mix.proof import prove
from obsidian_wren.core.mix.verdict import judge
from obsidian_wren.core.mix.word_levels import word_levels_dbfs
from obsidian_wren.ports.world import ProgramSettings
from obsidian_wren.simulation.listeners import StandInProgram
from obsidian_wren.voice.loop import Loop
from obsidian_wren.voice.pace import Pacing
from obsidian_wren.voice.paths import ReturnPath, Seat, VoicePath
from obsidian_wren.voice.run import LiveRun
from signals import RATE, noise, voice

# The voice behind its chain, in a quiet room; it speaks at about −20 dBFS.
TALK = 0.6 * voice()
TALK = TALK + noise(10 ** (-76 / 20), len(TALK) / RATE)
CHAIN = (GainSpec(3.0), LimiterSpec(-3.0, 100.0))
BEFORE_S = 8.0
# Larger blocks than a run has: nothing here waits for them.
BLOCK = 1920
DUCKING = Ducking(-40.0, 15.0, 250.0, 400.0)
RAW = "Line 3 (USB Audio 2.0)"


@dataclass(frozen=True)
class Case:
    """One program set in some way: what the proof has to say of it, and what the silent audit."""

    name: str
    kind: str = "call"
    picks: str | None = "own"
    settings: dict = field(default_factory=dict)
    proved: frozenset = frozenset()
    audited: frozenset = frozenset()


def wrong(name, proved="", audited="", **more):
    return Case(
        name,
        proved=frozenset(filter(None, proved.split(", "))),
        audited=frozenset(filter(None, audited.split(", "))),
        **more,
    )


MISTAKES = [
    wrong("the raw microphone is picked", "raw", "picks raw", picks=RAW),
    wrong("the feed for another is picked", "wrong feed", "picks another", picks="next"),
    wrong("nothing is picked", "nothing", "picks nothing", picks=None),
    wrong("an input is picked that is gone", "nothing", "picks another", picks="Line 4"),
    wrong("it is muted", "nothing", "muted", settings={"muted": True}),
    wrong(
        "noise removal is on", "twice cleaned", "twice cleaned", settings={"noise_removal": True}
    ),
    wrong(
        "noise removal is on in a stream",
        "twice cleaned",
        "twice cleaned",
        kind="stream",
        settings={"noise_removal": True},
    ),
    wrong("auto gain is on", "auto gain", "auto gain", settings={"auto_gain": True}),
    wrong(
        "its threshold is too high",
        "cuts words",
        "cuts words",
        kind="game chat",
        settings={"activation_dbfs": -22.0, "speaks": False},
    ),
    wrong(
        "its threshold lies over the voice",
        "nothing",
        "cuts words",
        kind="game chat",
        settings={"activation_dbfs": -3.0, "speaks": False},
    ),
    wrong(
        "echo cancelling cuts in",
        "turned down",
        "echo cancelling",
        settings={"echo_cancelling": True},
    ),
    wrong(
        "it lets people hear themselves",
        "returns to sender",
        "returns to sender",
        settings={"hears_itself": True},
    ),
    wrong("its buffer is long", "late", settings={"latency_ms": 260.0}),
    wrong(
        "it takes 48 kHz for 44.1", "wrong pitch", settings={"rate_hz": 44_100, "takes_hz": 48_000}
    ),
    wrong(
        "it takes 44.1 kHz for 48", "wrong pitch", settings={"rate_hz": 48_000, "takes_hz": 44_100}
    ),
    wrong(
        "it takes 16 kHz for 48", "wrong pitch", settings={"rate_hz": 48_000, "takes_hz": 16_000}
    ),
    wrong("it listens to the microphone as well", "both", "two inputs", settings={"also": RAW}),
    wrong(
        "it listens to a second feed as well",
        "two feeds",
        "two inputs",
        settings={"also": "feed next"},
    ),
    wrong(
        "two things are wrong at once",
        "twice cleaned, returns to sender",
        "twice cleaned, returns to sender",
        settings={"noise_removal": True, "hears_itself": True},
    ),
    wrong(
        "raw, with noise removal on it",
        "raw",
        "picks raw, twice cleaned",
        picks=RAW,
        settings={"noise_removal": True},
    ),
]
HEALTHY = [
    *(
        Case(f"{kind} at {rate} Hz", kind, settings={"rate_hz": rate})
        for kind in ("call", "stream")
        for rate in (16_000, 24_000, 44_100, 48_000)
    ),
    *(
        Case(f"{kind} whose clock is off by {ppm}", kind, settings={"drift_ppm": ppm})
        for kind in ("call", "stream")
        for ppm in (-200.0, 200.0)
    ),
    *(
        Case(f"call with a buffer of {ms} ms", settings={"latency_ms": ms})
        for ms in (0.0, 40.0, 90.0)
    ),
    *(
        Case(f"game chat that opens at {level}", "game chat", settings={"activation_dbfs": level})
        for level in (-60.0, -45.0)
    ),
    Case(
        "game chat on a narrow line",
        "game chat",
        settings={"rate_hz": 24_000, "narrow_band": True, "activation_dbfs": -45.0},
    ),
    Case("call on a narrow line", settings={"rate_hz": 16_000, "narrow_band": True}),
    Case("call upside down", settings={"upside_down": True}),
]


def scene_of(cases, *, lost=0):
    """A run with a program for each case; gives verdicts and audits by name of the case. ``lost``:
    so many pieces are said to be missing of what was heard."""
    seats, returns, mixes = [], [], []
    inputs = {RAW: "voice at once"}
    for number, case in enumerate(cases):
        key = f"listener {number}"
        inputs[f"feed {number}"] = f"mix {key}"
        following = f"feed {(number + 1) % len(cases)}"
        settings = dict(case.settings)
        if settings.get("also") == "feed next":
            settings["also"] = following
        program = StandInProgram(case.kind, case.name, ProgramSettings(**settings))
        program.picks = {"own": f"feed {number}", "next": following}.get(case.picks, case.picks)
        seats.append(
            Seat(key, number, program, own_feed=f"feed {number}", rate_hz=RATE, channels=1)
        )
        if case.kind != "stream":
            returns.append(ReturnPath(key, program, rate_hz=RATE))
        mixes.append(Mix(key, (MixSend("voice treated", 0.0),), 1, -3.0))
    voices = [VoicePath("voice", Loop(TALK, RATE), CHAIN)]
    run = LiveRun(
        voices,
        seats,
        inputs,
        mixes,
        returns=returns,
        ducking=DUCKING,
        tell=lambda *_: None,
        pacing=Pacing(None),
    )
    heard = {}

    def step(seconds):
        for _ in range(round(seconds * 25)):
            run.step({"voice": voices[0].read(BLOCK)})

    step(BEFORE_S)
    level = marker_level_dbfs(-20.0)
    codes = marker_codes(
        {seat.key: seat.number for seat in seats},
        level,
        {seat.key: -18.0 for seat in seats},
        rate_hz=run.rate_hz,
    )
    run.send_marker(codes, heard.update)
    while run.marker_in_flight:
        step(0.1)
    for _ in range(100):
        if heard:
            break
        step(0.04)
    feeds = {seat.own_feed: seat.number for seat in seats}
    return {
        case.name: _verdicts(case, seat, heard[seat.key], feeds, level, lost)
        for case, seat in zip(cases, seats, strict=True)
    }


def _verdicts(case, seat, sound, feeds, level, lost):
    arrived = prove(
        sound.heard,
        sound.returned,
        rate_hz=sound.rate_hz,
        feeds=feeds,
        own_feed=seat.own_feed,
        own_number=seat.number,
        sent_level_dbfs=level,
        feed_level_dbfs=marker_level_dbfs(-18.0),
        sent_before=sound.sent_before,
        heard_before=sound.heard_before,
        sent_rate_hz=RATE,
        lost=lost,
    )
    settings = seat.program.settings
    words = find_words(TALK[: 20 * RATE], rate_hz=RATE, room_dbfs=-70.0)
    levels = word_levels_dbfs(TALK[: 20 * RATE] * 10 ** (3 / 20), words, rate_hz=RATE)
    facts = ListenerFacts(
        case.name,
        seat.program.picks,
        seat.own_feed,
        RAW,
        dict.fromkeys(feeds, "another"),
        RATE,
        settings.also,
        settings.rate_hz,
        settings.muted,
        settings.noise_removal,
        settings.auto_gain,
        settings.echo_cancelling,
        settings.activation_dbfs,
        settings.hears_itself,
    )
    return judge(arrived, listener=case.name), audit_listener(facts, levels), arrived


def codes(verdicts, mark="fault"):
    return {verdict.code for verdict in verdicts if verdict.mark == mark}


@pytest.mark.parametrize("first", range(0, 20, 5))
def test_each_mistake_is_told_apart_by_sound_and_said_in_silence(first):
    cases = MISTAKES[first : first + 5]
    found = scene_of(cases)
    for case in cases:
        proved, audited, arrived = found[case.name]
        assert codes(proved) == case.proved, (case.name, arrived)
        assert codes(audited) == case.audited, case.name
        for verdict in (*proved, *audited):
            assert verdict.mark != "fault" or (verdict.advice and case.name in verdict.advice), (
                verdict
            )


@pytest.mark.parametrize("first", range(0, 20, 5))
def test_nothing_is_said_to_be_wrong_where_nothing_is(first):
    cases = HEALTHY[first : first + 5]
    assert len(cases) == 5 or first + len(cases) == len(HEALTHY)
    found = scene_of(cases)
    for case in cases:
        proved, audited, arrived = found[case.name]
        assert codes(proved) == set(), (case.name, proved, arrived)
        assert codes(audited) == set(), (case.name, audited)
        assert "treated" in codes(proved, "good"), case.name


def test_where_sound_was_lost_nobody_is_told_to_change_what_it_would_look_like():
    names = ("noise removal is on", "auto gain is on")
    cases = [case for case in MISTAKES if case.name in names]
    for case, (proved, _, arrived) in zip(cases, scene_of(cases, lost=1).values(), strict=True):
        assert codes(proved) == set(), (case.name, arrived)
        assert codes(proved, "good") == {"treated"}
        assert codes(proved, "note") == {"gaps"}


@pytest.mark.parametrize(("lost", "code"), [(6, "neither"), (7, "too many gaps")])
def test_a_voice_that_is_not_found_may_be_lost_in_many_gaps_and_not_in_a_few(lost, code):
    silence = np.zeros(0)
    arrived = prove(
        TALK[: 4 * RATE],
        silence,
        rate_hz=RATE,
        feeds={"feed 0": 0},
        own_feed="feed 0",
        own_number=0,
        sent_level_dbfs=marker_level_dbfs(-20.0),
        feed_level_dbfs=marker_level_dbfs(-18.0),
        sent_before=silence,
        heard_before=silence,
        sent_rate_hz=RATE,
        lost=lost,
    )
    (verdict,) = judge(arrived, listener="Editor call")
    assert (verdict.code, verdict.mark) == (code, "fault")


def test_there_are_twenty_of_each():
    assert len(MISTAKES) == 20
    assert len(HEALTHY) == 20


def test_what_is_only_worth_knowing_is_no_fault():
    found = scene_of(
        [case for case in HEALTHY if case.name in ("call on a narrow line", "call upside down")]
    )
    narrow, _, arrived = found["call on a narrow line"]
    assert codes(narrow, "note") == {"narrow"}
    assert 2800.0 < arrived.again.reaches_hz < 4500.0
    assert codes(found["call upside down"][0], "note") == {"upside down"}


def test_delay_level_and_clock_are_those_of_the_path():
    cases = [
        Case("plain", settings={"latency_ms": 40.0}),
        Case("late clock", settings={"drift_ppm": 200.0, "latency_ms": 40.0}),
    ]
    found = scene_of(cases)
    *_, plain = found["plain"]
    # Two limiters, the filter of the edge, what waits in it, and the program's buffer.
    assert plain.delay_ms == pytest.approx(1.83 * 2 + 1.33 + 10.0 + 40.0, abs=0.6)
    assert plain.treated.level_db == pytest.approx(3.0, abs=1.5)
    assert plain.rate_ppm == pytest.approx(0.0, abs=15.0)
    assert found["late clock"][2].rate_ppm == pytest.approx(200.0, abs=40.0)
    assert np.isfinite(found["late clock"][2].delay_ms)
