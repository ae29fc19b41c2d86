"""The rule of the high-pass."""

import numpy as np
import pytest

from obsidian_wren.core.chain.highpass import HighpassSpec
from obsidian_wren.core.chain.offline import render
from obsidian_wren.core.derive.highpass import derive_highpass
from obsidian_wren.core.measure.readings import read_quiet, read_talk
from signals import RATE, noise, room, voice


def talk_at(peak_dbfs, quiet=None, clip=None):
    sound = voice(peak=10 ** (peak_dbfs / 20)) + noise(2e-5, len(voice()) / RATE)
    return read_talk(np.clip(sound, -clip, clip) if clip else sound, rate_hz=RATE, quiet=quiet)


def test_highpass_stays_under_the_lowest_pitch(quiet):
    talk = talk_at(-12.0)
    rule = derive_highpass(talk, quiet)
    assert rule.frequency_hz.value == pytest.approx(0.8 * talk.pitch_hz.p5, abs=1)
    assert f"{talk.pitch_hz.p5:.0f} Hz" in rule.frequency_hz.because


def test_highpass_is_steeper_over_rumble(quiet):
    rumble = read_quiet(
        room() + 30 * render([HighpassSpec(20.0, 2)], np.cumsum(room(1e-5)), rate_hz=RATE),
        rate_hz=RATE,
    )
    talk = talk_at(-12.0)
    assert derive_highpass(talk, rumble).order.value > derive_highpass(talk, quiet).order.value


def test_pinned_highpass_keeps_what_was_derived(quiet):
    rule = derive_highpass(talk_at(-12.0), quiet, pinned_hz=95.0)
    assert rule.frequency_hz.value == 95.0
    assert rule.frequency_hz.pinned
    assert rule.frequency_hz.derived != 95.0
