"""The noise floor told apart by takes at two gains."""

import numpy as np
import pytest

from obsidian_wren.core.derive.floor_split import FloorTake, split_floor
from obsidian_wren.core.measure.spectrum import power_spectrum, third_octaves
from signals import RATE, noise


def bands_of(sound):
    return third_octaves(power_spectrum(sound, rate_hz=RATE, frame_s=1.4))


@pytest.mark.parametrize(
    "room_rms, preamp_rms, converter_rms",
    [(1e-4, 2e-5, 3e-6), (2e-5, 8e-5, 1e-5), (1e-5, 1e-5, 8e-5)],
)
def test_the_floor_is_split_at_two_gains(room_rms, preamp_rms, converter_rms):
    """Room and preamp noise at the resting gain, converter noise behind the knob: each is found
    within half a decibel or left as faint."""

    def take(gain_db, seed, *, muted=False):
        gain = 10 ** ((gain_db - 32.0) / 20)
        sound = gain * noise(preamp_rms, 15.0, seed=seed) + noise(
            converter_rms, 15.0, seed=seed + 1
        )
        return FloorTake(
            bands_of(sound if muted else sound + gain * noise(room_rms, 15.0, seed=seed + 2)),
            gain_db,
        )

    found = split_floor(take(32.0, 1), muted=take(32.0, 11, muted=True), other=take(12.0, 21))
    truth = {"room": room_rms, "preamp": preamp_rms, "converter": converter_rms}
    total = 10 * np.log10(sum(rms**2 for rms in truth.values()))
    for name, rms in truth.items():
        level = 20 * np.log10(rms) + 3.01
        if 20 * np.log10(rms) > total - 12.0:
            assert found.part(name).level_dbfs == pytest.approx(level, abs=0.5)
        else:
            assert found.part(name).level_dbfs < total - 8.0
    assert found.dominant == max(truth, key=truth.get)
    assert found.missing is None
    louder = found.floor_after_dbfs(10.0)
    wanted = 10 * np.log10(10 * (room_rms**2 + preamp_rms**2) + converter_rms**2) + 3.01
    assert louder == pytest.approx(wanted, abs=0.5)


def test_a_split_with_takes_missing_says_which():
    rest = FloorTake(bands_of(noise(1e-4, 8.0)), 30.0)
    assert split_floor(rest) is None
    muted = split_floor(rest, muted=FloorTake(bands_of(noise(1e-5, 8.0)), 30.0))
    assert muted.dominant == "room"
    assert "another gain" in muted.missing
    near = FloorTake(bands_of(noise(1e-4, 8.0)), 31.0)
    assert split_floor(rest, other=near) is None
