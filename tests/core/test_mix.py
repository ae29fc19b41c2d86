"""A mix for each listener: the engine's sums, the ceiling, and rules that land every listener in
its aim."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from obsidian_wren.core.decibels import amplitude_from_db
from obsidian_wren.core.measure.levels import true_peak_dbtp
from obsidian_wren.core.measure.loudness import integrated_lufs
from obsidian_wren.core.measure.words import Word, find_words
from obsidian_wren.core.mix.ducking import Ducking
from obsidian_wren.core.mix.ducking_plan import derive_ducking
from obsidian_wren.core.mix.engine import Mix, MixEngine, MixSend
from obsidian_wren.core.mix.kinds import KEPT_UNDER_LU, RULES, VOICE_OVER_LU, MixPins, usual_sends
from obsidian_wren.core.mix.landing import land
from obsidian_wren.core.mix.measured import Measured
from obsidian_wren.core.mix.plan import derive_mix, signal_of
from obsidian_wren.core.mix.prediction import Prediction
from obsidian_wren.core.mix.routes import Destination, Send, Source
from signals import RATE, noise, sine, voice

DUCKING = Ducking(-40.0, 15.0, 250.0, 400.0)
SOURCES = [
    Source("voice", "Your voice", "voice"),
    Source("second", "Second microphone", "second"),
    Source("computer", "Computer sound", "computer"),
    Source("music", "Music", "music"),
    Source("clips", "Clips", "clips"),
    Source("return:call", "Editor", "return", of="call"),
    Source("return:game", "Crew", "return", of="game"),
]
LISTENERS = [
    Destination("call", "Editor call", "call", frozenset({"return:call"})),
    Destination("game", "Crew chat", "game chat", frozenset({"return:game"})),
    Destination("stream", "River stream", "stream"),
    Destination("recorder", "Walk recorder", "recorder"),
    Destination("headphones", "Headphones", "headphones"),
    Destination("other", "Boat computer", "second computer"),
]


def run(mixes, signals, size=480, ducking=DUCKING):
    engine = MixEngine(mixes, ducking=ducking, rate_hz=RATE)
    count = max(len(s) for s in signals.values())
    parts = [
        engine.process({k: s[at : at + size] for k, s in signals.items()})
        for at in range(0, count, size)
    ]
    return {
        mix.listener: np.concatenate([part[mix.listener] for part in parts]) for mix in mixes
    }, engine


def test_a_mix_is_the_sum_of_its_sends():
    left, right = noise(0.02, 0.5, seed=1), noise(0.02, 0.5, seed=2)
    mono = noise(0.02, 0.5, seed=3)
    mixes = [
        Mix("one", (MixSend("a", -6.0), MixSend("b", 0.0)), 1),
        Mix("two", (MixSend("a", 0.0), MixSend("b", -12.0)), 2),
        Mix("none", (), 2),
    ]
    heard, engine = run(mixes, {"a": mono, "b": np.column_stack([left, right])})
    late = engine.delay_samples
    one = mono * amplitude_from_db(-6.0) + (left + right) / 2.0
    assert heard["one"][late:, 0] == pytest.approx(one[:-late], abs=1e-12)
    both = np.column_stack([mono, mono]) + np.column_stack([left, right]) * amplitude_from_db(-12.0)
    assert heard["two"][late:] == pytest.approx(both[:-late], abs=1e-12)
    assert not heard["none"].any()


@settings(max_examples=10, deadline=None)
@given(st.lists(st.integers(1, 4000), min_size=2, max_size=6))
def test_the_size_of_the_blocks_makes_no_difference(sizes):
    # Small blocks need no long sound to meet every join.
    count = min(RATE, max(RATE // 4, 2000 * sum(sizes) // len(sizes)))
    signals = {"voice treated": voice()[:count], "music": noise(0.1, 1.0, seed=5)[:count]}
    mixes = [Mix("x", (MixSend("voice treated", 6.0), MixSend("music", 0.0, 9.0)), 1, -12.0)]
    whole, _ = run(mixes, signals, size=count)
    engine, at, parts = MixEngine(mixes, ducking=DUCKING, rate_hz=RATE), 0, []
    while at < count:
        size = sizes[len(parts) % len(sizes)]
        parts.append(engine.process({k: s[at : at + size] for k, s in signals.items()})["x"])
        at += size
    assert np.abs(np.concatenate(parts) - whole["x"]).max() < 1e-9


def test_what_is_missing_or_broken_is_silence_and_the_rest_goes_on():
    engine = MixEngine(
        [Mix("x", (MixSend("a", 0.0), MixSend("b", 0.0)))],
        ducking=DUCKING,
        rate_hz=RATE,
    )
    broken = np.full(480, np.nan)
    for _ in range(5):
        out = engine.process({"a": np.full(480, 0.1), "b": broken})["x"]
        assert np.isfinite(out).all()
    assert out[-1, 0] == pytest.approx(0.1)
    assert engine.process({})["x"].shape == (0, 1)


@pytest.mark.parametrize("channels", [1, 2])
def test_no_sum_gets_over_its_ceiling_and_both_sides_are_held_alike(channels):
    rng = np.random.default_rng(6)
    signals = {
        name: np.column_stack([rng.standard_normal(RATE), 0.5 * rng.standard_normal(RATE)])
        for name in "abc"
    }
    mixes = [Mix("x", tuple(MixSend(name, 0.0) for name in "abc"), channels, -6.0)]
    heard, engine = run(mixes, signals)
    assert max(true_peak_dbtp(np.ascontiguousarray(c)) for c in heard["x"].T) <= -6.0
    assert engine.take_limited_db()["x"] < -6.0
    if channels == 2:
        late = engine.delay_samples
        plain = sum(signals.values())[: RATE - late]
        sure = np.abs(plain).min(axis=1) > 0.1
        ratio = heard["x"][late:] / plain
        np.testing.assert_allclose(ratio[sure, 0], ratio[sure, 1], rtol=1e-6)


def test_a_changed_mix_comes_in_without_a_click():
    tone = sine(300.0, -12.0, 1.0)
    engine = MixEngine([Mix("x", (MixSend("a", 0.0),))], ducking=DUCKING, rate_hz=RATE)
    parts = []
    for index, at in enumerate(range(0, RATE, 480)):
        if index == 50:
            engine.change([Mix("x", (MixSend("a", -20.0),)), Mix("y", (MixSend("a", 0.0),))])
        parts.append(engine.process({"a": tone[at : at + 480]}))
    heard = np.concatenate([part["x"][:, 0] for part in parts])
    assert np.abs(np.diff(heard)).max() < 1.1 * np.abs(np.diff(tone)).max()
    assert np.abs(heard[-4800:]).max() == pytest.approx(amplitude_from_db(-32.0), rel=1e-3)
    new = np.concatenate([part["y"][:, 0] for part in parts[50:]])
    assert np.abs(np.diff(new)).max() < 1.1 * np.abs(np.diff(tone)).max()


def test_only_what_ducks_drops_under_the_voice():
    signals = {
        "voice treated": np.concatenate([np.zeros(RATE), sine(200.0, -20.0, 1.0)]),
        "music": sine(3000.0, -30.0, 2.0),
    }
    heard, _ = run(
        [Mix("x", (MixSend("music", 0.0, 9.0),)), Mix("y", (MixSend("music", 0.0),))], signals
    )
    level = lambda sound, second: 20 * np.log10(np.abs(sound[round(second * RATE) :][:2000]).max())  # noqa: E731
    assert level(heard["x"], 0.5) == pytest.approx(-30.0, abs=0.05)
    assert level(heard["x"], 1.9) == pytest.approx(-39.0, abs=0.05)
    assert level(heard["y"], 1.9) == pytest.approx(-30.0, abs=0.05)


@pytest.fixture(scope="module")
def scene():
    """Material of every source at levels that nobody set: the boathouse's talker, and noises for
    the rest."""
    talk = voice()[: 20 * RATE]
    rng = np.random.default_rng(9)
    wide = np.column_stack([noise(0.2, 20.0, seed=21), noise(0.2, 20.0, seed=22)])
    others = np.roll(talk, 7 * RATE) * 0.3
    material = {
        "voice treated": talk * 1.2,
        "voice raw": talk * 0.3,
        "second treated": np.roll(talk, 3 * RATE) * 0.8,
        "music": wide * 0.5,
        "computer": wide[::-1] * 0.1,
        "clips": noise(0.05, 20.0, seed=23) * (rng.random(20 * RATE) > 0.5),
        "return:call": others,
        "return:game": others[::-1],
    }
    measured = {name: Measured.of(sound, rate_hz=RATE) for name, sound in material.items()}
    return material, measured


@pytest.fixture(scope="module")
def routing():
    return usual_sends(SOURCES, LISTENERS)


def test_by_rule_each_listener_gets_what_its_kind_is_for(routing):
    heard = {key: {send.source for send in routing.to(key)} for key in routing.destinations}
    assert heard["call"] == {"voice", "second", "clips"}
    assert heard["game"] == {"voice"}
    assert heard["stream"] == {
        "voice",
        "second",
        "computer",
        "music",
        "clips",
        "return:call",
        "return:game",
    }
    assert heard["headphones"] == {
        "second",
        "computer",
        "music",
        "clips",
        "return:call",
        "return:game",
    }
    assert "computer" not in heard["recorder"]


def test_whatever_is_kept_out_has_its_reason(routing):
    plan = derive_mix(routing.destinations["call"], routing, {})
    reasons = dict(plan.kept_out)
    assert reasons["return:call"] == "nobody hears themselves"
    assert "harder to understand" in reasons["music"]
    assert set(reasons) | {send.send.source for send in plan.sends} == {s.key for s in SOURCES}


@pytest.mark.parametrize("key", [listener.key for listener in LISTENERS])
def test_every_listener_gets_its_loudness_under_its_ceiling(scene, routing, key):
    material, measured = scene
    seat = routing.destinations[key]
    landing = land(seat, routing, measured, Prediction(material, ducking=DUCKING, rate_hz=RATE))
    plan, outcome = (
        derive_mix(seat, routing, measured, trim_db=landing.trim_db, deeper_db=landing.deeper_db),
        landing.outcome,
    )
    if outcome.voice_over_lu is not None:
        assert outcome.voice_over_lu >= VOICE_OVER_LU - 0.5
    assert outcome.lufs == pytest.approx(RULES[plan.listener.kind].aim_lufs, abs=0.5)
    assert outcome.true_peak_dbtp <= plan.ceiling_dbtp
    heard, _ = run([plan.mix()], material)
    assert integrated_lufs(heard[key], rate_hz=RATE) == pytest.approx(outcome.lufs, abs=0.1)


def test_the_voice_stays_on_top_by_what_is_stated(routing):
    talk = voice()[: 20 * RATE]
    bed = np.column_stack([noise(0.2, 20.0, seed=21), noise(0.2, 20.0, seed=22)])
    material = {"voice treated": talk, "music": bed}
    measured = {name: Measured.of(sound, rate_hz=RATE) for name, sound in material.items()}
    only = usual_sends([SOURCES[0], SOURCES[3]], LISTENERS)
    words = find_words(talk, rate_hz=RATE, room_dbfs=-90.0)
    ducking, because = derive_ducking(words, active_dbfs=-22.0, room_dbfs=-80.0)
    assert "19 of 20 pauses" in because
    for key in ("stream", "recorder"):
        plan = derive_mix(only.destinations[key], only, measured)
        outcome = Prediction(material, ducking=ducking, rate_hz=RATE).outcome(plan)
        assert outcome.voice_over_lu >= KEPT_UNDER_LU - 0.5


def test_what_a_person_holds_stands(routing):
    measured = {"music": Measured(-20.0, -20.0), "voice treated": Measured(-18.0, -15.0)}
    pins = MixPins(
        aim_lufs=-20.0,
        ceiling_dbtp=-2.0,
        channels=1,
        under_lu={"music": 4.0},
        duck_db={"music": 3.0},
    )
    plan = derive_mix(routing.destinations["stream"], routing, measured, pins)
    assert (plan.aim_lufs, plan.ceiling_dbtp, plan.channels) == (-20.0, -2.0, 1)
    music = next(send for send in plan.sends if send.send.source == "music")
    assert (music.lufs, music.duck_db, music.pinned) == (-24.0, 3.0, True)
    spoken = next(send for send in plan.sends if send.send.source == "voice")
    assert (spoken.gain_db, spoken.pinned) == (pytest.approx(-2.0), False)


def test_a_source_that_never_sounded_is_unknown(routing):
    plan = derive_mix(routing.destinations["stream"], routing, {})
    assert all(send.lufs is None for send in plan.sends)
    assert "Not measured yet" in plan.sends[0].because
    assert Measured.of(np.zeros(RATE), rate_hz=RATE) is None


def test_ducking_follows_the_pauses_of_this_voice():
    quick = tuple(Word(0.3 * i, 0.3 * i + 0.22) for i in range(20))
    slow = tuple(Word(0.6 * i, 0.6 * i + 0.3) for i in range(10)) + tuple(
        Word(10 + 2.0 * i, 11 + 2.0 * i) for i in range(5)
    )
    fast, _ = derive_ducking(quick, active_dbfs=-20.0, room_dbfs=-70.0)
    calm, _ = derive_ducking(slow, active_dbfs=-20.0, room_dbfs=-70.0)
    assert calm.hold_ms > fast.hold_ms
    assert calm.release_ms > fast.release_ms
    noisy, _ = derive_ducking(slow, active_dbfs=-20.0, room_dbfs=-38.0)
    assert noisy.threshold_dbfs > calm.threshold_dbfs


def test_the_name_of_a_signal_says_how_a_voice_is_tapped():
    assert signal_of(Send("voice", "call", "raw")) == "voice raw"
    assert signal_of(Send("music", "call")) == "music"
