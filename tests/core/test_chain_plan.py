"""A whole chain planned from takes."""

import numpy as np
import pytest

from obsidian_wren.core.chain.equalizer import EqualizerSpec
from obsidian_wren.core.chain.filters import EqualizerBand
from obsidian_wren.core.chain.offline import render
from obsidian_wren.core.derive.chain_plan import ask_rule, derive_chain
from obsidian_wren.core.derive.plan import plan
from obsidian_wren.core.derive.take_set import ToneTakes, prepare
from obsidian_wren.core.measure.levels import true_peak_dbtp
from obsidian_wren.core.measure.loudness import integrated_lufs
from obsidian_wren.core.measure.readings import read_quiet, read_talk
from obsidian_wren.core.numerals import DECIDES_DB
from signals import RATE, babble, room, voice


def test_plan_brings_a_real_take_to_its_aim(quiet):
    sound = voice("passage") + room(2e-4, len(voice("passage")) / RATE, seed=4)
    found = plan(quiet, read_talk(sound, rate_hz=RATE, quiet=quiet), room(), sound).chain
    out = render(found.specs(), sound, rate_hz=RATE)
    assert integrated_lufs(out, rate_hz=RATE) == pytest.approx(
        found.landing.loudness_lufs, abs=0.02
    )
    assert true_peak_dbtp(out) == pytest.approx(found.landing.true_peak_dbtp, abs=0.02)
    assert found.landing.loudness_lufs == pytest.approx(-18.0, abs=0.2)
    tone = found.stage("equalizer").evidence
    assert tone.fit.residual_rms_db <= 1.5
    for named in tone.bands:
        assert "target range" in named.because


def derived(rest, talk):
    """The whole chain from a room and a talk, the takes, and every rule that was asked."""
    quiet = read_quiet(rest, rate_hz=RATE)
    reading, asked = read_talk(talk, rate_hz=RATE, quiet=quiet), []

    def ask(key, take_set, pins):
        asked.append(key)
        return ask_rule(key, take_set, pins)

    takes = prepare(
        talk,
        rest,
        None,
        rate_hz=RATE,
        rest_rate_hz=RATE,
        in_use_rate_hz=None,
        talk_reading=reading,
        quiet_reading=quiet,
        tone=ToneTakes(reading, quiet),
    )
    return derive_chain(takes, ask=ask), takes, asked


def test_what_the_stages_behind_take_is_not_taken_twice():
    talk = voice("passage")
    found, takes, asked = derived(room(1.5e-3), talk + room(1.5e-3, len(talk) / RATE, seed=4))
    floor = max(found.landing.beside_voice_dbfs_a, found.landing.floor_dbfs_a)
    assert floor < takes.preferences.aims.floor_dbfs_a + DECIDES_DB
    gentle = next(stage for stage in found.stages if stage.key == "gate-gentle")
    assert gentle.switch.on
    assert asked.count("noise_reduction") == 1


def test_a_tone_that_lifts_the_room_is_reckoned_with_from_the_beginning():
    dull = EqualizerSpec((EqualizerBand("high_shelf", 2500.0, -10.0, 0.7),))
    talk = render([dull], voice("passage"), rate_hz=RATE)
    found, takes, asked = derived(room(6e-4), talk + room(6e-4, len(talk) / RATE, seed=4))
    lifted = found.to_come["noise_reduction"].beside_voice_db - takes.gain_to_come_db
    assert lifted > 2.0
    assert asked.count("noise_reduction") == 1


def test_without_a_tone_the_rest_is_planned():
    spoken = voice("passage")[: 25 * RATE]
    loud = 1.3 * float(np.sqrt(np.mean(spoken**2)))
    rest, under = babble(spoken, loud, 15.0), babble(spoken, loud, 25.0, seed=4)
    quiet, sound = read_quiet(rest, rate_hz=RATE), spoken + under
    found = plan(quiet, read_talk(sound, rate_hz=RATE, quiet=quiet), rest, sound).chain
    equalizer = found.stage("equalizer")
    assert (equalizer.switch.on, equalizer.evidence) == (False, None)
    assert "less than one octave" in equalizer.switch.because
    assert found.stage("noise_reduction").switch.on
    assert found.landing.loudness_lufs == pytest.approx(-18.0, abs=0.5)
