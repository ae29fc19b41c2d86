"""The gain plan over every control."""

import numpy as np
import pytest

from obsidian_wren.core.derive.floor_split import FloorTake, split_floor
from obsidian_wren.core.derive.gain_controls import GainControl
from obsidian_wren.core.derive.gain_plan import LOUDEST_DBFS, plan_gain
from obsidian_wren.core.derive.taper import Taper
from obsidian_wren.core.measure.readings import read_talk
from obsidian_wren.core.measure.spectrum import power_spectrum, third_octaves
from signals import RATE, noise, room, voice


def talk_at(peak_dbfs, quiet=None, clip=None):
    sound = voice(peak=10 ** (peak_dbfs / 20)) + noise(2e-5, len(voice()) / RATE)
    return read_talk(np.clip(sound, -clip, clip) if clip else sound, rate_hz=RATE, quiet=quiet)


@pytest.mark.parametrize(
    "peak, change",
    [
        (-19.5, 7),
        (-30.4, 18),
        (-12.0, 0),
        (-10.5, 0),
        (-14.8, 0),
        (-5.0, -8),
        (-9.7, 0),
        (-15.6, 0),
    ],
)
def test_preamp_lands_the_peak_in_the_aim(peak, change):
    advice = plan_gain(talk_at(peak))
    assert advice.change_db == pytest.approx(change, abs=0.51)
    assert -16 <= advice.expected_peak_dbfs <= -9
    assert advice.certain
    assert advice.verdict == ("stay" if change == 0 else "up" if change > 0 else "down")


def test_preamp_advice_knows_the_knob():
    advice = plan_gain(
        talk_at(-40.0), controls=[GainControl("preamp", "Preamp", "dB", True, 50.0, 0.0, 56.0, 1.0)]
    )
    assert advice.change_db == 6.0
    assert "ends at 56 dB and 21 dB are still missing" in advice.limit
    assert advice.sentence == "Turn the preamp up 6 dB, from 50 to 56 dB"


def test_a_knob_whose_scale_is_unknown_is_turned_by_the_level():
    loose = GainControl("preamp", "Preamp", "dB", True, 0.0)
    up, down = (plan_gain(talk_at(peak), controls=[loose]) for peak in (-24.0, -5.0))
    assert up.sentence == "Turn the gain knob up until normal talk peaks at about −12 dBFS"
    assert down.sentence == "Turn the gain knob down until normal talk peaks at about −12 dBFS"
    assert down.moves[0].target == down.change_db == pytest.approx(-7.5, abs=0.6)
    assert "about 8 dB" in down.moves[0].because or "about 7 dB" in down.moves[0].because


def test_nobody_is_asked_to_turn_for_less_than_a_decibel():
    advice = plan_gain(talk_at(-9.8))
    assert advice.verdict == "stay"
    assert "within 1 dB of the target" in advice.because


def test_clipped_talk_gets_a_careful_guess():
    advice = plan_gain(talk_at(6.0, clip=1.0))
    assert advice.verdict == "down"
    assert not advice.certain
    assert advice.sure_db is None
    assert advice.change_db <= -12


def test_signal_to_noise_is_active_level_over_room(quiet):
    talk = talk_at(-12.0, quiet)
    assert talk.snr_db == pytest.approx(talk.active_level_dbfs - quiet.rms_dbfs)


def talk(peak_dbfs, part="talk", quiet=None):
    return read_talk(
        voice(part, peak=10 ** (peak_dbfs / 20)) + noise(2e-5, len(voice(part)) / RATE),
        rate_hz=RATE,
        quiet=quiet,
    )


def bands_of(sound):
    return third_octaves(power_spectrum(sound, rate_hz=RATE, frame_s=1.4))


def preamp(position=30.0, low=0.0, high=56.0):
    return GainControl("preamp", "Preamp", "dB", True, position, low, high, 1.0)


def test_the_plan_takes_gain_off_after_the_converter_first():
    slider = GainControl(
        "slider",
        "Input slider",
        "%",
        False,
        62.0,
        0.0,
        100.0,
        1.0,
        neutral=100.0,
        taper=Taper((50.0, 62.0, 100.0), (0.0, 4.0, 12.0), (0.0, 0.1, 0.1)),
    )
    trim = GainControl("trim", "Device output", "dB", False, 3.0, -60.0, 24.0, 0.5, neutral=0.0)
    plan = plan_gain(talk(-20.0), controls=[preamp(), trim, slider])
    moves = {move.key: move for move in plan.moves}
    assert (moves["slider"].target, moves["slider"].change_db) == (100.0, pytest.approx(8.0))
    assert (moves["trim"].target, moves["trim"].change_db) == (0.0, pytest.approx(-3.0))
    # At the converter the peak stands at −20 + 8 − 3 = −15 dBFS: inside the aim, so the preamp
    # stays.
    assert plan.expected_peak_dbfs == pytest.approx(-15.0, abs=0.3)
    assert plan.sentence.startswith(
        "Set the device output from 3 dB to 0 dB, then set the input slider from 62 % to 100 %"
    )


def test_a_slider_that_nobody_learned_makes_the_plan_a_careful_move():
    slider = GainControl("slider", "Input slider", "%", False, 62.0, 0.0, 100.0, 1.0, neutral=100.0)
    plan = plan_gain(talk(-12.0), controls=[preamp(), slider])
    assert not plan.certain
    assert next(m for m in plan.moves if m.key == "slider").change_db is None


def test_the_loudest_stay_under_their_ceiling_even_if_the_aim_suffers():
    loud = talk(-0.5, "loud")
    plan = plan_gain(talk(-14.0), controls=[preamp()], loud=loud)
    assert plan.change_db == -3.0
    assert plan.expected_loudest_dbfs <= LOUDEST_DBFS
    assert "normal peaks have to stay 2 dB under the target" in plan.limit


def test_a_pad_goes_in_when_the_preamp_ends_and_out_when_it_is_not_needed():
    pad = GainControl("pad", "Pad", "switch", True, 0.0, 0.0, 1.0, 1.0, pad_db=10.0)
    plan = plan_gain(talk(-0.5), controls=[pad, preamp(5.0)])
    assert next(m for m in plan.moves if m.key == "pad").target == 1
    assert -15 <= plan.expected_peak_dbfs <= -10
    switched = GainControl("pad", "Pad", "switch", True, 1.0, 0.0, 1.0, 1.0, pad_db=10.0)
    plan = plan_gain(talk(-30.0), controls=[switched, preamp(50.0)])
    assert next(m for m in plan.moves if m.key == "pad").target == 0
    assert -15 <= plan.expected_peak_dbfs <= -10


def test_advice_is_spoken_in_the_dials_own_numbers():
    taper = Taper((2.0, 4.0, 6.0, 8.0), (0.0, 12.0, 22.0, 33.0), (0.0, 0.1, 0.1, 0.1))
    dial = GainControl("preamp", "Preamp", "dial", True, 4.0, 0.0, 10.0, 0.25, taper=taper)
    plan = plan_gain(talk(-20.0), controls=[dial])
    assert plan.sentence == "Turn the preamp from 4 to about 5½"
    assert plan.expected_peak_dbfs == pytest.approx(-12.5, abs=0.3)
    unlearned = plan_gain(
        talk(-20.0), controls=[GainControl("preamp", "Preamp", "dial", True, 4.0, 0.0, 10.0, 0.25)]
    )
    assert "Learn the dial" in unlearned.moves[0].because


def test_the_aim_can_be_changed_and_limits_are_said():
    assert plan_gain(talk(-20.0), controls=[preamp()], aim_dbfs=(-22.0, -18.0)).verdict == "stay"
    stopped = plan_gain(talk(-40.0), controls=[preamp(50.0)], too_far_cm=80.0)
    assert "ends at 56 dB" in stopped.limit
    assert "At 80 cm" in stopped.limit
    overloaded = plan_gain(
        talk(-12.0), controls=[preamp()], loudest_peak_db_spl=128.0, max_spl_db=120.0
    )
    assert "overloads before any knob" in overloaded.limit


def test_more_gain_costs_no_noise_while_the_room_dominates(quiet):
    rest = FloorTake(quiet.third_octaves, 30.0)
    split = split_floor(
        rest,
        muted=FloorTake(bands_of(noise(2e-6, 10.0)), 30.0),
        other=FloorTake(bands_of(room(2e-5, 10.0)), 10.0),
    )
    assert "adds no audible noise" in split.meaning
    plan = plan_gain(talk(-22.0, quiet=quiet), controls=[preamp()], quiet=quiet, split=split)
    assert not plan.floor_assumed
    assert plan.expected_snr_db == pytest.approx(talk(-22.0, quiet=quiet).snr_db, abs=0.4)
