"""The last gain and the limiter."""

import pytest

from obsidian_wren.core.chain.offline import render
from obsidian_wren.core.derive.aims import Aims, Preferences
from obsidian_wren.core.derive.delivery import MOST_LIMITING_DB, derive_gain, derive_limiter
from obsidian_wren.core.derive.matching import matched_gains_db
from obsidian_wren.core.derive.stage_plan import Pins
from obsidian_wren.core.derive.take_set import prepare
from obsidian_wren.core.measure.levels import peak_dbfs, true_peak_dbtp
from obsidian_wren.core.measure.loudness import integrated_lufs
from obsidian_wren.core.measure.readings import read_talk
from signals import RATE, noise, room, voice


def ground(sound, quiet, **preferences):
    return prepare(
        sound,
        room(),
        None,
        rate_hz=RATE,
        rest_rate_hz=RATE,
        in_use_rate_hz=None,
        talk_reading=read_talk(sound, rate_hz=RATE, quiet=quiet),
        quiet_reading=quiet,
        preferences=Preferences(**preferences),
    )


def delivered(here, pins=None):
    """The sound behind gain and limiter, and the gain's answer."""
    gain, limiter = derive_gain(here, pins or Pins()), derive_limiter(here, pins or Pins())
    return render([gain.spec(), limiter.spec()], here.talk, rate_hz=RATE), gain


@pytest.mark.parametrize("aim", [-16.0, -20.0, -23.0])
def test_the_gain_meets_the_aim_behind_the_limiter(aim, quiet):
    out, _ = delivered(ground(voice(), quiet, aims=Aims(loudness_lufs=aim)))
    assert integrated_lufs(out, rate_hz=RATE) == pytest.approx(aim, abs=0.1)
    assert true_peak_dbtp(out) <= -3.0


def test_the_gain_holds_back_where_the_limiter_would_squash(quiet):
    peaky = noise(0.001, 20.0)
    peaky[:: RATE // 2] = 0.5
    out, gain = delivered(ground(peaky, quiet))
    assert integrated_lufs(out, rate_hz=RATE) < -19.0
    assert peak_dbfs(peaky) + gain.settings["gain_db"].value == pytest.approx(
        -3.0 + MOST_LIMITING_DB, abs=0.1
    )
    assert "Kept lower" in gain.settings["gain_db"].because


def test_matching_brings_both_to_one_loudness_without_clipping():
    gains = matched_gains_db((-31.0, -18.0), (-12.0, -3.0))
    assert -31.0 + gains[0] == pytest.approx(-18.0 + gains[1])
    assert -12.0 + gains[0] <= -1.0
    assert -3.0 + gains[1] <= -1.0
