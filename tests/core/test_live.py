"""The live meter."""

import numpy as np
import pytest

from obsidian_wren.core.measure.live import BlockMeter
from obsidian_wren.core.measure.readings import read_quiet
from signals import RATE, noise, sine


def test_the_live_meter_agrees_with_the_take_and_follows_a_change():
    meter = BlockMeter(RATE)
    sound = noise(1e-3, 4.0) + sine(1000.0, -50.0, 4.0)
    frames = [frame for k in range(0, len(sound), 700) for frame in meter.add(sound[k : k + 700])]
    assert len(frames) == 80
    reading = read_quiet(sound, rate_hz=RATE)
    assert frames[-1].a_weighted_dbfs == pytest.approx(reading.a_weighted_dbfs, abs=0.5)
    at = frames[-1].bands_hz.index(1000.0)
    assert frames[-1].bands_dbfs[at] == pytest.approx(-49.6, abs=0.6)
    assert len(frames[-1].short_dbfs) == 5
    quieter = [
        frame for k in range(0, len(sound), 700) for frame in meter.add(0.1 * sound[k : k + 700])
    ]
    assert quieter[-1].a_weighted_dbfs == pytest.approx(reading.a_weighted_dbfs - 20.0, abs=0.7)
    assert meter.add(np.full(2400, 0.999))[0].clipped == 2400
