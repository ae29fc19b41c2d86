import dataclasses

import numpy as np
import pytest

from obsidian_wren.core.chain.engine import render
from obsidian_wren.core.chain.highpass import HighpassSpec
from obsidian_wren.core.derive.aims import Aims, Wishes
from obsidian_wren.core.derive.delivery import MOST_LIMITING_DB, derive_gain, derive_limiter
from obsidian_wren.core.derive.gain_plan import GainStage, plan_gain
from obsidian_wren.core.derive.ground import prepare
from obsidian_wren.core.derive.highpass import derive_highpass
from obsidian_wren.core.derive.matching import matched_gains_db
from obsidian_wren.core.derive.path_levels import levels_here, shifted, sound_pressure_db_spl
from obsidian_wren.core.derive.plan import plan
from obsidian_wren.core.derive.prediction import quiet_at_gain
from obsidian_wren.core.derive.regions import region
from obsidian_wren.core.derive.stage_plan import Pins
from obsidian_wren.core.measure.levels import peak_dbfs, true_peak_dbtp
from obsidian_wren.core.measure.loudness import integrated_lufs
from obsidian_wren.core.measure.readings import read_quiet, read_talk
from signals import RATE, noise, room, voice


@pytest.fixture(scope="module")
def quiet():
    return read_quiet(room(), rate_hz=RATE)


def talk_at(peak_dbfs, quiet=None, clip=None):
    sound = voice(peak=10 ** (peak_dbfs / 20)) + noise(2e-5, len(voice()) / RATE)
    return read_talk(np.clip(sound, -clip, clip) if clip else sound, rate_hz=RATE, quiet=quiet)


@pytest.mark.parametrize("peak, change", [(-19.5, 7), (-30.4, 18), (-12.0, 0), (-10.5, 0), (-14.8, 0), (-5.0, -8)])
def test_preamp_lands_the_peak_in_the_aim(peak, change):
    advice = plan_gain(talk_at(peak))
    assert advice.change_db == pytest.approx(change, abs=0.51)
    assert -15 <= advice.expected_peak_dbfs <= -10
    assert advice.certain
    assert advice.verdict == ("settled" if change == 0 else "up" if change > 0 else "down")


def test_preamp_advice_knows_the_knob():
    advice = plan_gain(talk_at(-40.0), stages=[GainStage("preamp", "Preamp", "dB", True, 50.0, 0.0, 56.0, 1.0)])
    assert advice.change_db == 6.0
    assert "ends at 56 dB and 21 dB are still missing" in advice.limit
    assert advice.sentence == "Turn the preamp up 6 dB, from 50 to 56 dB"


def test_clipped_talk_gets_a_careful_guess():
    advice = plan_gain(talk_at(6.0, clip=1.0))
    assert advice.verdict == "down"
    assert not advice.certain
    assert advice.sure_db is None
    assert advice.change_db <= -12


def test_signal_to_noise_is_active_level_over_room(quiet):
    talk = talk_at(-12.0, quiet)
    assert talk.snr_db == pytest.approx(talk.active_level_dbfs - quiet.rms_dbfs)


def test_highpass_stays_under_the_lowest_pitch(quiet):
    talk = talk_at(-12.0)
    rule = derive_highpass(talk, quiet)
    assert rule.frequency_hz.value == pytest.approx(0.8 * talk.pitch_hz.p5, abs=1)
    assert f"{talk.pitch_hz.p5:.0f} Hz" in rule.frequency_hz.because


def test_highpass_is_steeper_over_rumble(quiet):
    rumble = read_quiet(room() + 30 * render([HighpassSpec(20.0, 2)], np.cumsum(room(1e-5)), rate_hz=RATE), rate_hz=RATE)
    talk = talk_at(-12.0)
    assert derive_highpass(talk, rumble).order.value > derive_highpass(talk, quiet).order.value


def test_pinned_highpass_keeps_what_was_derived(quiet):
    rule = derive_highpass(talk_at(-12.0), quiet, pinned_hz=95.0)
    assert rule.frequency_hz.value == 95.0
    assert rule.frequency_hz.pinned
    assert rule.frequency_hz.derived != 95.0


def ground(sound, quiet, **wishes):
    return prepare(
        sound, room(), None, rate_hz=RATE, rest_rate_hz=RATE, in_use_rate_hz=None, talk_reading=read_talk(sound, rate_hz=RATE, quiet=quiet),
        quiet_reading=quiet, wishes=Wishes(**wishes),
    )  # fmt: skip


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
    assert peak_dbfs(peaky) + gain.settings["gain_db"].value == pytest.approx(-3.0 + MOST_LIMITING_DB, abs=0.1)
    assert "Held back" in gain.settings["gain_db"].because


def test_plan_brings_a_real_take_to_its_aim(quiet):
    sound = voice("passage") + room(2e-4, len(voice("passage")) / RATE, seed=4)
    found = plan(quiet, read_talk(sound, rate_hz=RATE, quiet=quiet), room(), sound).chain
    out = render(found.specs(), sound, rate_hz=RATE)
    assert integrated_lufs(out, rate_hz=RATE) == pytest.approx(found.landing.loudness_lufs, abs=0.02)
    assert true_peak_dbtp(out) == pytest.approx(found.landing.true_peak_dbtp, abs=0.02)
    assert found.landing.loudness_lufs == pytest.approx(-18.0, abs=0.2)
    tone = found.stage("equalizer").evidence
    assert tone.fit.left_over_rms_db <= 1.5
    for named in tone.bands:
        assert "corridor" in named.because


def test_a_turned_knob_lifts_the_room_by_as_much(quiet):
    lifted = quiet_at_gain(quiet, 7.0)
    assert lifted.rms_dbfs == pytest.approx(quiet.rms_dbfs + 7.0)
    assert lifted.noise.points_db() == pytest.approx(quiet.noise.points_db() + 7.0)
    assert quiet_at_gain(quiet, 0.0) is quiet


def test_matching_brings_both_to_one_loudness_without_clipping():
    gains = matched_gains_db((-31.0, -18.0), (-12.0, -3.0))
    assert -31.0 + gains[0] == pytest.approx(-18.0 + gains[1])
    assert -12.0 + gains[0] <= -1.0
    assert -3.0 + gains[1] <= -1.0


def test_the_path_moves_with_a_plain_gain():
    talk, quiet = voice(), room()
    here = levels_here(talk, quiet, rate_hz=RATE)
    assert here.peak_dbfs == pytest.approx(peak_dbfs(talk))
    assert here.voice_low_dbfs < here.voice_high_dbfs < here.peak_dbfs
    assert shifted(here, -32.0).room_dbfs == pytest.approx(here.room_dbfs - 32.0)
    unknown = levels_here(None, quiet, rate_hz=RATE)
    assert dataclasses.astuple(unknown)[:3] == (None, None, None)


def test_sound_pressure_from_sensitivity():
    """94 dB SPL on 20 mV/Pa is 20 mV = -31.76 dBu; with 30 dB of gain into +9 dBu full scale it reads -10.76 dBFS."""
    spl = sound_pressure_db_spl(-10.76, gain_db=30.0, max_input_dbu=9.0, sensitivity_mv_pa=20.0)
    assert spl == pytest.approx(94.0, abs=0.01)


def test_regions_cover_the_voice_in_order():
    assert [region(hz) for hz in (70, 200, 300, 600, 1200, 3000, 7000, 12000)] == [
        *("Bottom", "Boom", "Mud", "Box", "Nose", "Presence", "Sibilance", "Air")
    ]
