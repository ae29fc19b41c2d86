"""What is heard while a stage or a band is left out."""

import numpy as np
import pytest

from obsidian_wren.core.chain.equalizer import EqualizerSpec
from obsidian_wren.core.chain.filters import EqualizerBand
from obsidian_wren.core.chain.gain import GainSpec
from obsidian_wren.core.chain.left_out import without
from obsidian_wren.core.chain.offline import render
from signals import RATE, sine

LOW, HIGH = EqualizerBand("peak", 200.0, -6.0, 1.0), EqualizerBand("peak", 4000.0, 6.0, 1.0)
SPECS = {"equalizer": EqualizerSpec((LOW, HIGH)), "gain": GainSpec(3.0)}


@pytest.mark.parametrize(
    ("off", "hz", "gain_db"),
    [
        ((), 200.0, -3.0),
        ((), 4000.0, 9.0),
        (("equalizer/1",), 200.0, 3.0),
        (("equalizer/1",), 4000.0, 9.0),
        (("equalizer/2",), 4000.0, 3.0),
        (("equalizer/1", "equalizer/2"), 4000.0, 3.0),
        (("equalizer",), 200.0, 3.0),
        (("gain",), 200.0, -6.0),
        (("equalizer/7", "gain/1", "gate"), 200.0, -3.0),
    ],
)
def test_only_what_is_left_out_is_missing(off, hz, gain_db):
    tone = sine(hz, -30.0, 1.0)
    out = render(without(SPECS, off), tone, rate_hz=RATE)
    half = slice(RATE // 2, None)
    assert 20 * np.log10(np.std(out[half]) / np.std(tone[half])) == pytest.approx(gain_db, abs=0.15)


def test_who_stands_behind_keeps_the_place():
    assert [type(spec) for spec in without(SPECS, ("equalizer",))] == [EqualizerSpec, GainSpec]
