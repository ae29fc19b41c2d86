"""One account of the floor: what Clean decides by is what the listener gets behind everything."""

import re

import numpy as np
import pytest

from obsidian_wren.core.chain.kinds import kind_of
from obsidian_wren.core.chain.offline import render, render_stage
from obsidian_wren.core.derive.chain_plan import ask_rule, derive_chain
from obsidian_wren.core.derive.gate_evidence import detector_trace, gains_of
from obsidian_wren.core.derive.stage_plan import Pins
from obsidian_wren.core.derive.take_set import ToneTakes, prepare
from obsidian_wren.core.measure.levels import frame_levels_dbfs, rms_dbfs
from obsidian_wren.core.measure.loudness import integrated_lufs
from obsidian_wren.core.measure.readings import read_quiet, read_talk
from obsidian_wren.core.measure.spectrum import a_weighted_dbfs, power_spectrum
from obsidian_wren.core.measure.speech import active_level
from obsidian_wren.core.numerals import beside
from signals import RATE, room, voice

SECONDS = 20
VOICE = voice()[: SECONDS * RATE]
ACTIVE_DBFS = active_level(VOICE, rate_hz=RATE).level_dbfs


def takes(snr_db, *, in_use_over_db=None):
    """A voice whose clean sound is known, in a steady room so far under it."""
    quiet, under = room(seconds=10.0, seed=1), room(seconds=SECONDS, seed=2)
    gain = 10.0 ** ((ACTIVE_DBFS - snr_db - rms_dbfs(under)) / 20.0)
    talk, rest = VOICE + gain * under, gain * quiet
    reading = read_quiet(rest, rate_hz=RATE)
    said = read_talk(talk, rate_hz=RATE, quiet=reading)
    in_use = None
    if in_use_over_db is not None:
        in_use = room(seconds=10.0, seed=3) * gain * 10.0 ** (in_use_over_db / 20.0)
    return prepare(
        talk,
        rest,
        in_use,
        rate_hz=RATE,
        rest_rate_hz=RATE,
        in_use_rate_hz=RATE,
        talk_reading=said,
        quiet_reading=reading,
        tone=ToneTakes(said, reading),
    )


def a_weighted(sound):
    return a_weighted_dbfs(power_spectrum(sound, rate_hz=RATE, frame_s=0.17))


@pytest.fixture(scope="module")
def plans():
    return {snr: (found := takes(snr), derive_chain(found)) for snr in (15.0, 33.0, 52.0)}


@pytest.mark.parametrize("snr", [15.0, 33.0, 52.0])
def test_the_floor_that_is_told_is_the_one_that_arrives(plans, snr):
    take_set, plan = plans[snr]
    whole = render(plan.specs(), take_set.rest, rate_hz=RATE)
    assert plan.landing.floor_dbfs_a == pytest.approx(a_weighted(whole), abs=0.05)
    # Beside the voice dynamics hold the room down as far as the voice.
    before = [
        stage.spec()
        for stage in plan.stages
        if not kind_of(stage.key).steadies and stage.kind != "gate"
    ]
    gain = integrated_lufs(
        render(plan.specs(), take_set.talk, rate_hz=RATE), rate_hz=RATE
    ) - integrated_lufs(
        render(
            [s.spec() for s in plan.stages if not kind_of(s.key).steadies],
            take_set.talk,
            rate_hz=RATE,
        ),
        rate_hz=RATE,
    )
    open_floor = a_weighted(render(before, take_set.rest, rate_hz=RATE))
    assert plan.landing.beside_voice_dbfs_a == pytest.approx(open_floor + gain, abs=0.1)
    noise = plan.stage("noise_reduction").evidence
    assert noise.floor_after_dbfs_a == plan.landing.beside_voice_dbfs_a
    assert noise.in_pauses_dbfs_a == plan.landing.floor_dbfs_a


@pytest.mark.parametrize("snr", [15.0, 33.0])
def test_who_begins_where_a_plan_ended_asks_each_rule_once_for_the_same_plan(plans, snr):
    take_set, plan = plans[snr]
    asked = []

    def ask(key, takes, pins):
        asked.append(key)
        return ask_rule(key, takes, pins)

    again = derive_chain(take_set, start=plan.to_come, ask=ask)
    assert again.specs() == plan.specs()
    assert sorted(asked) == sorted(set(asked))
    asked.clear()
    assert derive_chain(take_set, start={}, ask=ask).specs() == plan.specs()
    assert len(asked) > len(set(asked))


def test_a_room_that_can_be_cleaned_lands_within_a_decibel_of_its_target(plans):
    for snr in (33.0, 52.0):
        take_set, plan = plans[snr]
        most = take_set.preferences.aims.floor_dbfs_a + 1.0
        assert plan.landing.floor_dbfs_a <= most
        assert plan.landing.beside_voice_dbfs_a <= most


def test_what_dynamics_lift_over_the_target_is_taken_back_behind_them():
    """As quiet as the target allows beside the voice; what the compressor lifts in the pauses is
    all that is left to do."""
    take_set = takes(43.0)
    plan = derive_chain(take_set)
    on = {stage.key for stage in plan.stages if stage.switch.on}
    assert {"gate-gentle", "compressor"} <= on
    assert not {"noise_reduction", "gate"} & on
    gentle = next(stage for stage in plan.stages if stage.key == "gate-gentle")
    assert 3.0 <= gentle.settings["range_db"].value <= 6.0
    without = derive_chain(
        take_set, Pins(switches={"gate-gentle": False, "noise_reduction": False, "gate": False})
    )
    aim = take_set.preferences.aims.floor_dbfs_a
    assert without.landing.floor_dbfs_a > aim + 1.0
    assert plan.landing.floor_dbfs_a <= aim + 1.0
    assert plan.landing.loudness_lufs == pytest.approx(without.landing.loudness_lufs, abs=0.2)


def gated_share(plan, take_set, clean):
    """What the gates of a plan leave of the clean voice in 10 ms frames, dB; and its levels against
    the active level."""
    here, told, left = take_set.talk, None, clean.copy()
    for stage in plan.stages:
        spec = stage.spec()
        if stage.kind == "gate" and spec.on:
            hears = detector_trace(here, told, spec.sidechain_hz, rate_hz=RATE)
            gains = np.repeat(gains_of(hears, spec, rate_hz=RATE), round(hears.step_s * RATE))
            gains = np.pad(gains, (0, len(left) - len(gains)), "edge")
            left = left * 10.0 ** (gains / 20.0)
        here, told = render_stage(spec, here, told, rate_hz=RATE)
    levels = frame_levels_dbfs(clean, rate_hz=RATE, frame_s=0.01)
    kept = frame_levels_dbfs(left, rate_hz=RATE, frame_s=0.01)
    with np.errstate(invalid="ignore"):
        # Where nothing was and nothing is, nothing can be told.
        return kept - levels, levels - ACTIVE_DBFS


@pytest.mark.parametrize("snr", [10.0, 15.0, 20.0])
def test_in_a_loud_room_no_word_is_cut(snr):
    take_set = takes(snr)
    plan = derive_chain(take_set)
    kept, level = gated_share(plan, take_set, VOICE)
    assert kept[level > -25.0].min() >= -6.1
    soft = kept[(level <= -25.0) & (level > -35.0)]
    assert np.mean(soft < -6.0) <= 0.1
    assert any(stage.kind == "gate" and stage.switch.on for stage in plan.stages)


def test_a_room_in_use_may_be_louder_than_the_room_at_rest():
    quiet_desk, loud_desk = (
        derive_chain(takes(55.0, in_use_over_db=over)).stage("noise_reduction")
        for over in (0.0, 15.0)
    )
    assert not quiet_desk.switch.on
    assert loud_desk.switch.on
    assert "in use, where it is steady" in loud_desk.switch.because


def test_less_than_a_decibel_decides_nothing_and_is_not_told(plans):
    assert beside(0.9, "the target") == beside(-0.9, "the target") == "at the target"
    assert beside(3.4, "the target") == "3 dB over the target"
    assert beside(-3.4, "the target") == "3 dB under the target"
    for _, plan in plans.values():
        said = [stage.switch.because for stage in plan.stages]
        said += [s.because for stage in plan.stages for s in stage.settings.values()]
        assert not [text for text in said if re.search(r"(?<![\d.,−-])0 dB\b", text)]
