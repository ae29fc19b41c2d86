"""What moves in a room that is used, and what it is."""

import numpy as np
import pytest

from moving_noise import moving
from obsidian_wren.core.measure.levels import rms_dbfs
from obsidian_wren.core.measure.moments import moving_room
from signals import RATE, noise, sine, voice

SECONDS = 10.0


def room(sound=0.0):
    return moving_room(
        noise(1e-4, SECONDS, seed=2) + sound, noise(1e-4, SECONDS, seed=3), rate_hz=RATE
    )


def seconds_of(found):
    """For how long each kind lasts, s."""
    out = {}
    for moment in found.moments:
        out[moment.kind] = out.get(moment.kind, 0.0) + moment.end_s - moment.start_s
    return out


@pytest.mark.parametrize(
    "made, kinds",
    [
        ("mouse", {"keys"}),
        ("keys", {"keys", "knock"}),
        ("thumps", {"knock"}),
        ("music", {"melody"}),
        ("street", {"passing"}),
    ],
)
def test_each_kind_of_moment_is_known(made, kinds):
    sound = moving(made, 11, SECONDS)
    found = seconds_of(room(sound * 10.0 ** ((-45.0 - rms_dbfs(sound)) / 20.0)))
    assert sum(found.get(kind, 0.0) for kind in kinds) >= 0.9 * sum(found.values()) > 0.0


def test_a_talker_is_a_voice():
    found = seconds_of(room(voice()[: round(SECONDS * RATE)] * 0.1))
    assert found["voice"] >= 0.8 * sum(found.values())


def test_a_steady_room_has_no_moments():
    found = room()
    assert (found.moments, found.moving_s) == ((), 0.0)
    assert found.highest_dbfs == -np.inf


def test_levels_and_times_of_a_moment():
    sound = np.zeros(round(SECONDS * RATE))
    sound[3 * RATE : 5 * RATE] = sine(1000.0, -30.0, 2.0)
    found = room(sound)
    (moment,) = found.moments
    assert moment.start_s == pytest.approx(3.0, abs=0.05)
    assert moment.end_s == pytest.approx(5.0, abs=0.05)
    assert moment.level_dbfs == pytest.approx(-30.0, abs=0.3)
    assert found.highest_dbfs == pytest.approx(-30.0, abs=0.1)
    assert found.moving_s == pytest.approx(2.0, abs=0.1)
