"""What each stage's rule answers, on takes whose truth is made here: on or off, how much, and
the sentence that says why."""

from dataclasses import replace

import numpy as np
import pytest

from obsidian_wren.core.chain.kinds import KINDS, kind_of
from obsidian_wren.core.chain.offline import render
from obsidian_wren.core.chain.sequence import default_sequence
from obsidian_wren.core.decibels import amplitude_from_db
from obsidian_wren.core.derive.aims import Aims, Preferences
from obsidian_wren.core.derive.chain_plan import derive_chain
from obsidian_wren.core.derive.compressor import curve_db
from obsidian_wren.core.derive.delivery import MOST_LIMITING_DB
from obsidian_wren.core.derive.order import warnings
from obsidian_wren.core.derive.stage_plan import Pins
from obsidian_wren.core.derive.take_set import prepare
from obsidian_wren.core.measure.decay import Reverb
from obsidian_wren.core.measure.levels import true_peak_dbtp
from obsidian_wren.core.measure.loudness import integrated_lufs
from obsidian_wren.core.measure.readings import read_quiet, read_talk
from signals import RATE, noise, room, voice

SECONDS = 20
NONE = Pins()


def take_set_of(talk, quiet, *, in_use=None, ring=None, **aims):
    reading = read_quiet(quiet, rate_hz=RATE)
    return prepare(
        talk,
        quiet,
        in_use,
        rate_hz=RATE,
        rest_rate_hz=RATE,
        in_use_rate_hz=RATE,
        talk_reading=read_talk(talk, rate_hz=RATE, quiet=reading),
        quiet_reading=reading,
        ring=ring,
        preferences=Preferences(aims=replace(Aims(), **aims)),
    )


@pytest.fixture(scope="module")
def plain():
    """A talker 50 dB over a steady room."""
    return take_set_of(voice()[: SECONDS * RATE] + room(seconds=SECONDS, seed=4), room(seconds=8.0))


@pytest.fixture(scope="module")
def phrases():
    """The same talker, who whispers every other four seconds."""
    swell = np.repeat(np.tile([1.0, 0.22], 3), 4 * RATE)[: SECONDS * RATE]
    return take_set_of(
        voice()[: SECONDS * RATE] * swell + room(5e-5, seconds=SECONDS, seed=4),
        room(5e-5, seconds=8.0),
    )


@pytest.mark.parametrize("kind", [kind for kind in KINDS if kind != "equalizer"])
def test_every_answer_says_why_and_holds_what_a_person_holds(plain, kind):
    found = kind_of(kind).rule_function()(plain, NONE)
    assert found.switch.because
    for name, setting in found.settings.items():
        assert setting.because, name
        assert setting.value == setting.derived
    name, setting = next(iter(found.settings.items()))
    held = setting.value * 1.01 + 0.01
    pinned = kind_of(kind).rule_function()(
        plain, Pins(numbers={(kind, name): held}, switches={kind: not found.switch.on})
    )
    assert pinned.settings[name].value == pytest.approx(held)
    assert pinned.settings[name].pinned
    assert pinned.settings[name].derived == pytest.approx(setting.derived)
    assert pinned.switch.on is not found.switch.on
    assert (pinned.switch.derived, pinned.switch.pinned) == (found.switch.on, True)


def test_the_leveller_is_for_phrases_that_differ(plain, phrases):
    assert not kind_of("leveller").rule_function()(plain, NONE).switch.on
    found = kind_of("leveller").rule_function()(phrases, NONE)
    assert found.switch.on
    assert "target is at most 8" in found.switch.because
    treated = render([found.spec()], phrases.talk, rate_hz=RATE)
    spread = [read_talk(sound, rate_hz=RATE).loudness_range_lu for sound in (phrases.talk, treated)]
    assert spread[1] < spread[0] - 1.0


def test_the_leveller_waits_in_pauses(phrases):
    found = kind_of("leveller").rule_function()(phrases, NONE)
    guard = found.settings["guard_dbfs"].value
    loudest_room = 20 * np.log10(np.abs(phrases.rest).max())
    assert guard > loudest_room - 12.0
    assert guard < phrases.active_dbfs - 10.0


def test_the_compressor_meets_the_loudness_with_its_make_up(plain):
    found = kind_of("compressor").rule_function()(plain, NONE)
    treated = render([found.spec()], plain.talk, rate_hz=RATE)
    assert integrated_lufs(treated, rate_hz=RATE) == pytest.approx(-18.0, abs=0.3)
    louder = kind_of("compressor").rule_function()(
        replace(plain, preferences=Preferences(aims=Aims(loudness_lufs=-14.0))), NONE
    )
    # Four more for the aim, and what the higher ratio takes that then holds the peaks.
    assert louder.settings["ratio"].value >= found.settings["ratio"].value
    assert 4.0 <= louder.settings["makeup_db"].value - found.settings["makeup_db"].value < 8.0
    louder_out = render([louder.spec()], plain.talk, rate_hz=RATE)
    assert integrated_lufs(louder_out, rate_hz=RATE) == pytest.approx(-14.0, abs=0.3)


def test_an_even_voice_needs_no_compressor():
    # Speech shorn of its loudness by dividing through its own envelope: nothing is left to hold.
    talk = voice()[: SECONDS * RATE]
    envelope = np.sqrt(np.convolve(talk**2, np.ones(2400) / 2400, "same"))
    even = np.where(envelope > 3e-3, talk / np.maximum(envelope, 3e-3), 0.0) * 0.03
    found = kind_of("compressor").rule_function()(
        take_set_of(even + room(1e-5, seconds=SECONDS, seed=4), room(1e-5, seconds=8.0)), NONE
    )
    uneven = kind_of("compressor").rule_function()(
        take_set_of(talk + room(1e-5, seconds=SECONDS, seed=4), room(1e-5, seconds=8.0)), NONE
    )
    assert found.settings["ratio"].value < uneven.settings["ratio"].value


def test_the_room_may_not_rise_farther_than_allowed(plain):
    free = kind_of("compressor").rule_function()(plain, NONE)
    bound = kind_of("compressor").rule_function()(
        replace(plain, preferences=Preferences(aims=Aims(most_lift_db=2.0))), NONE
    )
    assert bound.settings["ratio"].value < free.settings["ratio"].value
    assert bound.evidence.lift_db <= 2.0
    assert "the most that is allowed" in bound.settings["ratio"].because


@pytest.mark.parametrize("level", [-60.0, -30.0, -20.0, 0.0])
def test_the_curve_is_the_textbook_one(level):
    threshold, ratio, knee = -24.0, 3.0, 6.0
    over = level - threshold
    slope = 1.0 - 1.0 / ratio
    soft = slope * (over + knee / 2) ** 2 / (2 * knee)
    expected = 0.0 if over < -knee / 2 else -slope * over if over > knee / 2 else -soft
    assert curve_db(level, threshold, slope, knee) == pytest.approx(expected, abs=1e-9)


@pytest.mark.parametrize("release_ms", [None, 20.0, 900.0])
def test_the_gain_lands_behind_the_limiter_and_spares_the_peaks(plain, release_ms):
    pins = NONE if release_ms is None else Pins({("limiter", "release_ms"): release_ms})
    found = kind_of("gain").rule_function()(plain, pins)
    limiter = kind_of("limiter").rule_function()(plain, pins)
    treated = render([found.spec(), limiter.spec()], plain.talk, rate_hz=RATE)
    assert true_peak_dbtp(treated) <= -3.0
    loudness = integrated_lufs(treated, rate_hz=RATE)
    if "Kept lower" in found.settings["gain_db"].because:
        lifted = 20 * np.log10(np.abs(plain.talk).max()) + found.settings["gain_db"].value
        assert lifted == pytest.approx(-3.0 + MOST_LIMITING_DB, abs=0.6)
        assert loudness < -18.0
    else:
        assert loudness == pytest.approx(-18.0, abs=0.2)


def test_silence_gets_no_gain():
    silent = take_set_of(
        np.full(SECONDS * RATE, 1e-9) * noise(1.0, float(SECONDS)), room(1e-9, seconds=8.0)
    )
    assert kind_of("gain").rule_function()(silent, NONE).settings["gain_db"].value == 0.0
    assert not kind_of("gate").rule_function()(silent, NONE).switch.on
    assert not kind_of("deplosive").rule_function()(silent, NONE).switch.on


@pytest.mark.parametrize(
    ("ring", "on", "words"),
    [
        (None, False, "unknown"),
        (Reverb((), 0.25, 0.0, "clap"), False, "A dry room"),
        (Reverb((), 0.9, -15.0, "clap"), False, "You are close enough"),
        (Reverb((), 0.9, 0.0, "clap"), True, "Half the distance would give"),
        (Reverb((), 0.5, None, "speech ends"), False, "too close to a dry room"),
        (Reverb((), 0.9, None, "speech ends"), True, "clap once to measure it"),
        (Reverb((), None, 0.0, "speech ends"), False, "before they show the room's decay"),
    ],
)
def test_the_ring_is_reduced_only_where_it_is_known_and_stands_out(plain, ring, on, words):
    found = kind_of("ring_reduction").rule_function()(replace(plain, ring=ring), NONE)
    assert found.switch.on is on
    assert words in found.switch.because
    most = 6.0 if ring is None or ring.method == "speech ends" else 12.0
    assert 3.0 <= found.settings["reduction_db"].value <= most


def test_colour_is_off_until_somebody_wants_it(plain):
    found = kind_of("colour").rule_function()(plain, NONE)
    assert not found.switch.on
    sound = plain.talk[: 2 * RATE]
    assert render([found.spec()], sound, rate_hz=RATE) == pytest.approx(sound)


def test_a_louder_room_in_use_asks_for_a_gate(plain):
    fan = noise(amplitude_from_db(-48.0 - 3.01), float(SECONDS), seed=8)
    used = take_set_of(plain.talk, plain.rest, in_use=fan)
    quiet, loud = (
        kind_of("gate").rule_function()(plain, NONE),
        kind_of("gate").rule_function()(used, NONE),
    )
    assert loud.switch.on
    assert loud.settings["threshold_dbfs"].value > quiet.settings["threshold_dbfs"].value
    assert loud.settings["threshold_dbfs"].value > -48.0


def test_cut_words_weighed_more_put_the_threshold_lower(plain):
    fan = noise(amplitude_from_db(-42.0 - 3.01), float(SECONDS), seed=8)
    found = []
    for weight in (0.1, 0.5, 0.95):
        used = replace(
            take_set_of(plain.talk, plain.rest, in_use=fan),
            preferences=Preferences(cut_weight=weight),
        )
        found.append(kind_of("gate").rule_function()(used, NONE).settings["threshold_dbfs"].value)
    assert found[0] >= found[1] >= found[2]
    assert found[0] > found[2]


def test_the_whole_chain_follows_a_pinned_stage(plain):
    free = derive_chain(plain, sequence=tuple(kind for kind in KINDS if kind != "equalizer"))
    held = derive_chain(
        plain,
        Pins(numbers={("compressor", "ratio"): 1.5}),
        sequence=tuple(kind for kind in KINDS if kind != "equalizer"),
    )
    assert held.stage("compressor").settings["ratio"].value == 1.5
    assert (
        held.stage("compressor").settings["makeup_db"].value
        != free.stage("compressor").settings["makeup_db"].value
    )
    for plan in (free, held):
        assert plan.landing.loudness_lufs == pytest.approx(-18.0, abs=1.0)
        assert plan.landing.true_peak_dbtp <= -3.0


@pytest.mark.parametrize(
    ("order", "kind", "other"),
    [
        (("limiter", "gain"), "limiter", "gain"),
        (("compressor", "gate", "limiter"), "gate", "compressor"),
        (("compressor", "noise_reduction", "limiter"), "noise_reduction", "compressor"),
        (("gate", "highpass", "limiter"), "highpass", "gate"),
    ],
)
def test_an_order_that_defeats_a_stage_is_named(order, kind, other):
    assert (kind, other) in {(found.kind, found.other) for found in warnings(order)}
    assert warnings(tuple(k for k in default_sequence() if k in order)) == ()
