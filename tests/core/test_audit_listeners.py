"""What can be told of a listener in silence, and what a proof by sound is judged to mean."""

from dataclasses import replace

import numpy as np
import pytest

from obsidian_wren.core.measure.words import Word
from obsidian_wren.core.mix.audit import ListenerFacts, audit_listener, opening_share
from obsidian_wren.core.mix.marker import Found
from obsidian_wren.core.mix.reprocessing import Reprocessing
from obsidian_wren.core.mix.verdict import LATE_MS, Arrived, judge
from obsidian_wren.core.mix.word_levels import word_levels_dbfs
from signals import RATE, noise, sine

FEEDS = {"Wren: call": "Editor call", "Wren: game": "Crew game chat"}
GOOD = ListenerFacts(
    "Editor call", "Wren: call", "Wren: call", "Line 3", FEEDS, 48_000, rate_hz=48_000
)
LEVELS = np.linspace(-40.0, -12.0, 101)
CODE = Found(1000.0, 0.0, False, 30.0)
ARRIVED = Arrived(raw=None, treated=CODE, feed="Wren: call", own_feed="Wren: call", delay_ms=31.0)


def codes(verdicts, mark="fault"):
    return [verdict.code for verdict in verdicts if verdict.mark == mark]


def test_a_program_that_is_set_right_has_no_fault():
    found = audit_listener(replace(GOOD, activation_dbfs=-50.0), LEVELS)
    assert codes(found) == []
    assert codes(found, "good") == ["picks its feed", "one rate", "opens"]


@pytest.mark.parametrize(
    ("change", "code", "says"),
    [
        ({"picks": "Line 3"}, "picks raw", "choose “Wren: call”"),
        ({"picks": "Wren: game"}, "picks another", "choose “Wren: call”"),
        ({"picks": "Line 9"}, "picks another", "choose “Wren: call”"),
        ({"picks": None}, "picks nothing", "choose “Wren: call”"),
        ({"muted": True}, "muted", "Switch the microphone on"),
        ({"also": "Wren: game"}, "two inputs", "second input off"),
        ({"noise_removal": True}, "twice cleaned", "Switch it off in Editor call"),
        (
            {"noise_removal": True, "chain_cleans": False},
            "noise removal",
            "Switch it off in Editor call",
        ),
        ({"auto_gain": True}, "auto gain", "Switch it off in Editor call"),
        ({"echo_cancelling": True}, "echo cancelling", "switch it off in Editor call"),
        ({"hears_itself": True}, "returns to sender", "Switch that off in Editor call"),
        ({"activation_dbfs": -26.0}, "cuts words", "−43 dBFS or lower"),
    ],
)
def test_each_setting_that_is_wrong_says_what_to_change_where(change, code, says):
    found = audit_listener(replace(GOOD, **change), LEVELS)
    assert codes(found) == [code]
    assert says in next(v.advice for v in found if v.code == code)
    assert "Editor call" in next(v.advice for v in found if v.code == code)


def test_echo_cancelling_may_stay_where_loudspeakers_play():
    assert (
        codes(audit_listener(replace(GOOD, echo_cancelling=True, hears_speakers=True), LEVELS))
        == []
    )


@pytest.mark.parametrize(
    ("rate", "says"), [(16_000, "up to 7 kHz"), (96_000, "converted on the way")]
)
def test_another_rate_is_worth_knowing_and_no_fault(rate, says):
    found = audit_listener(replace(GOOD, rate_hz=rate), LEVELS)
    assert codes(found) == []
    assert says in next(v.sentence for v in found if v.code == "other rate")


def test_what_is_not_known_is_not_judged():
    assert codes(
        audit_listener(replace(GOOD, rate_hz=None, activation_dbfs=-20.0), None), "good"
    ) == ["picks its feed"]
    assert opening_share(np.zeros(0), threshold_dbfs=-30.0) is None


def test_the_share_of_words_is_counted_from_their_loudest_moments():
    sound = np.concatenate(
        [sine(300, -20.0, 0.4), np.zeros(RATE // 5), sine(300, -40.0, 0.4), np.zeros(RATE // 5)]
    ) + noise(1e-6, 1.2)
    words = (Word(0.0, 0.4), Word(0.6, 1.0))
    levels = word_levels_dbfs(sound, words, rate_hz=RATE)
    assert levels == pytest.approx([-20.0, -40.0], abs=0.3)
    assert opening_share(levels, threshold_dbfs=-30.0) == 0.5
    assert opening_share(levels, threshold_dbfs=-50.0) == 1.0


def test_what_arrives_as_meant_is_good_and_nothing_else_is_said():
    found = judge(ARRIVED, listener="Editor call")
    assert [(v.code, v.mark, v.sentence) for v in found] == [
        ("treated", "good", "Treated voice arrives, 31 ms")
    ]


@pytest.mark.parametrize(
    ("change", "code"),
    [
        ({"treated": None, "raw": CODE, "feed": None}, "raw"),
        ({"raw": CODE}, "both"),
        ({"treated": None, "feed": None, "delay_ms": None}, "neither"),
        ({"treated": None, "feed": None, "delay_ms": None, "lost": True}, "too many gaps"),
        ({"treated": None, "feed": None, "sounds": False, "lost": True}, "nothing"),
        ({"treated": None, "feed": None, "delay_ms": None, "sounds": False}, "nothing"),
        ({"feed": "Wren: game"}, "wrong feed"),
        ({"other_feed": "Wren: game"}, "two feeds"),
        ({"delay_ms": LATE_MS + 1.0}, "late"),
        ({"speed": 44_100 / 48_000}, "wrong pitch"),
        ({"returned_ms": 240.0}, "returns to sender"),
        ({"echo_ms": 40.0}, "twice"),
        ({"rate_ppm": 2500.0}, "clock"),
        ({"again": Reprocessing(0.0, 12.0, 1.0, 0.0, 12_000.0)}, "twice cleaned"),
        ({"again": Reprocessing(0.0, 1.0, 6.0, 0.0, 12_000.0)}, "auto gain"),
        ({"again": Reprocessing(0.0, 12.0, 1.0, 0.2, 12_000.0)}, "cuts words"),
        ({"again": Reprocessing(-15.0, 1.0, 1.0, 0.0, 12_000.0)}, "turned down"),
        ({"again": Reprocessing(9.0, 1.0, 1.0, 0.0, 12_000.0)}, "turned up"),
    ],
)
def test_each_fault_is_told_with_what_to_change_where(change, code):
    found = judge(replace(ARRIVED, **change), listener="Editor call")
    assert codes(found) == [code]
    assert "Editor call" in next(v.advice for v in found if v.code == code)


@pytest.mark.parametrize(
    ("change", "code"),
    [
        ({"treated": Found(1000.0, 0.0, True, 30.0)}, "upside down"),
        ({"gaps": True}, "gaps"),
        ({"again": Reprocessing(0.0, 1.0, 1.0, 0.0, 3400.0)}, "narrow"),
    ],
)
def test_what_harms_nobody_is_a_note(change, code):
    found = judge(replace(ARRIVED, **change), listener="Editor call")
    assert codes(found) == []
    assert codes(found, "note") == [code]


def test_where_the_wrong_thing_arrives_the_rest_is_not_worth_a_word():
    many = replace(
        ARRIVED,
        treated=None,
        raw=CODE,
        again=Reprocessing(0.0, 12.0, 6.0, 0.2, 3000.0),
        echo_ms=30.0,
    )
    assert codes(judge(many, listener="Editor call")) == ["raw"]
