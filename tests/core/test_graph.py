"""The dependency graph: each change leaves stale exactly what depended on it, and says why."""

import pytest

from obsidian_wren.core.chain.kinds import KINDS
from obsidian_wren.core.derive import graph
from obsidian_wren.core.derive.reasons import Reason
from obsidian_wren.core.derive.shift import predict_shift

FACTS = {
    "gain_db": 31.0,
    "dial": None,
    "pad_on": False,
    "trim_db": 0.0,
    "slider": 100.0,
    "program_db": 0.0,
    "distance_cm": 20.0,
    "angle_deg": 0.0,
    "height_cm": 0.0,
    "pop_screen": True,
    "foam": False,
    "shock_mount": False,
    "support": "arm",
    "microphone": "Reedling 40",
    "pattern": "cardioid",
    "interface": "Towpath Two",
    "room": "Boathouse loft",
    "source": "simulated",
    "enhancements": False,
}
PURPOSES = (
    "rest",
    "in-use",
    "muted",
    "other-gain",
    "talk",
    "loud",
    "soft",
    "passage",
    "dial",
    "clap",
    "sweep",
    "reference",
    "phone",
)
CHOICES = {"cut_weight": "0.8", "treated": "null", "taste": "null", "target": "null", "order": ""}


def now(**changes):
    found = {
        f"{purpose}.{fact}": value
        for purpose in PURPOSES
        for fact, value in {**FACTS, **changes}.items()
    }
    found |= {f"take:{purpose}": number for number, purpose in enumerate(PURPOSES, 1)}
    found |= {f"pin:{stage}": "[]" for stage in KINDS} | {
        f"choice:{name}": value for name, value in CHOICES.items()
    }
    return found | {
        "choice:aim": "-15 to -10",
        "choice:response": None,
        "choice:microphone_data": "13 dB(A)",
    }


def used_now(name, now):
    """What a node derived now would stand on."""
    return {key: now[key] for key in graph.sources(name) if key in now}


def stale_nodes(recorded, now):
    """Every recorded node that is outdated."""
    return {name for name, used in recorded.items() if graph.changed(name, used, now)}


def dependents(source):
    """Every node that a source reaches."""
    return {name for name in graph.GRAPH if source in graph.sources(name)}


EVERY_SOURCE = sorted({source for name in graph.GRAPH for source in graph.sources(name)})
RECORDED = {name: used_now(name, now()) for name in graph.GRAPH}
ALL = set(graph.GRAPH)
CHAIN = {"cleaning", "delivery", "diagram"}
LEVELS = {
    "quiet",
    "in-use",
    "muted",
    "split",
    "causes",
    "profile",
    "talk",
    "loud",
    "soft",
    "gain-plan",
    *CHAIN,
}
# What is heard in another place is heard with another ring; a reference take stays what it was,
# and so does a phone's.
NO_PLACE = {"muted", "dial", "reference", "phone"}
TONE = {"highpass", "equalizer", "delivery", "diagram"}
VOICE = {"talk", "loud", "soft", "gain-plan", "voice-shape", "cleaning", *TONE}


def stale_after(**changes):
    return set(stale_nodes(RECORDED, now(**changes)))


@pytest.mark.parametrize(
    "change, stale",
    [
        ({}, set()),
        # A knob moves levels; the shape of voice and room stays, and with it the tone.
        ({"gain_db": 38.0}, LEVELS),
        ({"pad_on": True}, LEVELS),
        ({"slider": 80.0}, LEVELS),
        # A mouth that moves changes all that hears it; a muted input and a learned dial hear
        # nothing.
        ({"distance_cm": 15.0}, ALL - NO_PLACE),
        ({"angle_deg": 40.0}, ALL - NO_PLACE),
        ({"microphone": "Heron 2"}, ALL - NO_PLACE - {"ring"}),
        ({"room": "Kitchen"}, ALL - NO_PLACE),
        ({"interface": "Staithe One"}, ALL - {"ring", "reference", "phone"}),
        # A pop screen is heard in the voice only, a shock mount only while someone works at the
        # desk.
        ({"pop_screen": False}, VOICE),
        ({"shock_mount": True}, {"in-use", "causes", *CHAIN}),
        ({"support": "desk stand"}, {"in-use", "causes", *CHAIN}),
    ],
)
def test_each_fact_stales_exactly_what_depended_on_it(change, stale):
    assert stale_after(**change) == stale


@pytest.mark.parametrize(
    "key, stale",
    [
        (
            "take:rest",
            {"quiet", "split", "causes", "profile", "gain-plan", "room-shape", "cleaning", *TONE},
        ),
        ("take:in-use", {"in-use", "causes", *CHAIN}),
        ("take:clap", {"ring", "equalizer", *CHAIN}),
        ("take:reference", {"reference", "equalizer", "delivery", "diagram"}),
        ("take:phone", {"phone", "equalizer", "delivery", "diagram"}),
        ("take:muted", {"muted", "split", "causes", "gain-plan"}),
        ("take:loud", {"loud", "gain-plan"}),
        ("take:passage", {"voice-shape", *TONE}),
        ("take:dial", {"dial", "gain-plan"}),
        ("choice:aim", {"gain-plan"}),
        ("choice:response", {"equalizer", "delivery", "diagram"}),
        ("choice:microphone_data", {"split", "causes", "gain-plan"}),
        ("pin:highpass", {"cleaning", *TONE}),
        ("pin:gate", CHAIN),
        ("pin:noise_reduction", CHAIN),
        ("pin:compressor", {"delivery", "diagram"}),
        ("choice:cut_weight", CHAIN),
        ("choice:taste", {"equalizer", "delivery", "diagram"}),
        ("choice:target", {"equalizer", "delivery", "diagram"}),
        ("choice:order", {"delivery", "diagram"}),
        ("choice:treated", CHAIN),
        ("pin:equalizer", {"equalizer", "delivery", "diagram"}),
        ("pin:gain", {"delivery", "diagram"}),
        ("pin:limiter", {"delivery", "diagram"}),
    ],
)
def test_a_new_take_a_choice_and_a_pin_reach_what_stands_on_them(key, stale):
    assert set(stale_nodes(RECORDED, now() | {key: "other"})) == stale
    assert dependents(key) == stale


@pytest.mark.parametrize(
    "node, change, says",
    [
        ("talk", {"gain_db": 38.0}, "Measured at 31 dB gain, now 38."),
        ("quiet", {"distance_cm": 15.0}, "Measured at 20 cm, now 15."),
        ("talk", {"pop_screen": False}, "Measured with the pop screen, now without."),
        ("talk", {"microphone": "Heron 2"}, "Measured with Reedling 40, now Heron 2."),
        ("quiet", {"room": "Kitchen"}, "Measured in Boathouse loft, now Kitchen."),
        ("quiet", {"slider": 80.0}, "Measured with the slider at 100 %, now 80 %."),
    ],
)
def test_it_says_why(node, change, says):
    assert graph.why_stale(node, RECORDED[node], now(**change)) == says


def test_what_was_not_recorded_cannot_be_stale_and_a_dial_speaks_for_its_decibels():
    assert graph.why_stale("talk", {}, now(gain_db=99.0)) is None
    used = used_now("talk", now(dial=4.0, gain_db=0.0))
    assert (
        graph.why_stale("talk", used, now(dial=5.0, gain_db=6.0))
        == "Measured with the dial at 4, now 5."
    )
    assert "discarded" in graph.why_stale("talk", RECORDED["talk"], now() | {"take:talk": None})


def test_everything_comes_after_what_it_needs():
    names = list(graph.GRAPH)
    for name, node in graph.GRAPH.items():
        assert all(names.index(needed) < names.index(name) for needed in node.needs)


def test_physics_predicts_gain_distance_and_angle():
    assert (
        predict_shift(FACTS, {**FACTS, "gain_db": 37.0}).voice_db,
        predict_shift(FACTS, {**FACTS, "gain_db": 37.0}).room_db,
    ) == (
        6.0,
        6.0,
    )
    closer = predict_shift(FACTS, {**FACTS, "distance_cm": 10.0})
    assert (closer.voice_db, closer.room_db) == (pytest.approx(6.02, abs=0.01), 0.0)
    turned = predict_shift(FACTS, {**FACTS, "angle_deg": 90.0})
    assert turned.voice_db == pytest.approx(-6.02, abs=0.01)
    padded = predict_shift(FACTS, {**FACTS, "pad_on": True}, pad_db=10.0)
    assert (padded.voice_db, padded.room_db) == (-10.0, -10.0)
    assert predict_shift(FACTS, FACTS).because == ""
    assert not predict_shift(FACTS, {**FACTS, "slider": 50.0}).known
    assert not predict_shift(FACTS, {**FACTS, "room": "Kitchen"}).known


def test_a_fact_of_a_take_that_was_never_made_stales_nothing():
    used = {"take:clap": None, "clap.distance_cm": 15.0}
    assert graph.changed("equalizer", used, {"take:clap": None, "clap.distance_cm": 22.0}) == ()
    taken = graph.changed("equalizer", used, {"take:clap": 7, "clap.distance_cm": 22.0})
    assert {reason.source for reason in taken} == {"take:clap", "clap.distance_cm"}


@pytest.mark.parametrize("source", EVERY_SOURCE)
def test_every_source_that_can_differ_has_a_sentence(source):
    """A choice that was added without its words once ended the page of whoever made it."""
    titles = dict.fromkeys([*KINDS, *graph.GRAPH], "it")
    said = Reason(source, 1.0, 2.0).sentence(titles)
    assert said.endswith(".")
