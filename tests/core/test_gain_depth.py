"""Gain: clipping of every kind, talk until it is steady, a dial learned, and the plan over every stage."""

import numpy as np
import pytest

from obsidian_wren.core.derive.dial import DialTake, Taper, learn, spoken, steady_level
from obsidian_wren.core.derive.floor_split import FloorTake, split_floor
from obsidian_wren.core.derive.gain_plan import LOUDEST_DBFS, GainStage, plan_gain
from obsidian_wren.core.measure import clipping
from obsidian_wren.core.measure.readings import read_quiet, read_talk
from obsidian_wren.core.measure.spectrum import power_spectrum, third_octaves
from obsidian_wren.core.measure.steadiness import frames_of, how_steady
from signals import RATE, noise, room, sine, voice


def as_24_bit(sound):
    return np.round(sound * 2**23) / 2**23


@pytest.mark.parametrize("slider_db", [0.0, -4.0, -11.3])
def test_flat_tops_under_full_scale_are_found_at_their_level(slider_db):
    clipped = as_24_bit(np.clip(1.6 * voice(peak=0.9), -1.0, 1.0 - 2**-23))
    found = clipping.flat_tops(as_24_bit(clipped * 10 ** (slider_db / 20)))
    assert found.count > 50
    assert found.level_dbfs == pytest.approx(slider_db, abs=0.05)


def test_flat_tops_survive_sixteen_bits_with_dither_and_a_noisy_converter():
    cut = np.clip(1.6 * voice(peak=0.9), -0.63, 0.63)
    rng = np.random.default_rng(0)
    dithered = np.round(cut * 2**15 + rng.random(len(cut)) - rng.random(len(cut))) / 2**15
    assert clipping.flat_tops(dithered).level_dbfs == pytest.approx(-4.0, abs=0.05)
    behind_noise = clipping.flat_tops(cut + noise(3e-6, 45.0)[: len(cut)])
    assert behind_noise.count > 50
    assert behind_noise.level_dbfs == pytest.approx(-4.0, abs=0.05)


def test_one_side_cut_is_told_from_both():
    found = clipping.flat_tops(np.minimum(voice(peak=0.9), 0.4))
    assert found.upper_dbfs == pytest.approx(20 * np.log10(0.4), abs=0.01)
    assert found.lower_dbfs is None


@pytest.mark.parametrize("drive", [0.5, 1.0, 2.0, 4.0])
@pytest.mark.parametrize("part", ["talk", "loud", "soft"])
def test_an_honest_square_ish_voice_is_not_accused_of_flat_tops(part, drive):
    squarish = np.tanh(drive * voice(part) / 0.25) * 0.6
    assert clipping.flat_tops(as_24_bit(squarish)).count == 0
    assert clipping.flat_tops(np.round(squarish * 127) / 127).count == 0


@pytest.mark.parametrize("part", ["talk", "loud", "soft", "passage"])
def test_soft_clipping_is_told_from_a_voice_that_is_square_at_all_levels(part):
    clean = voice(part)
    assert clipping.soft_clipping(clean, rate_hz=RATE) is None
    assert clipping.soft_clipping(np.sign(clean) * np.abs(clean) ** 0.6, rate_hz=RATE) is None
    found = clipping.soft_clipping(0.1 * np.tanh(3.0 * clean / 0.25), rate_hz=RATE)
    assert found.crest_loss_db > 1.7


def test_a_cubic_stage_is_told_by_its_third_harmonic():
    """One tone that swells, as someone who whistles: a straight stage adds nothing, a cubic one grows by 3 dB for each."""
    swell = sine(440.0, 0.0, 12.0) * 10 ** (np.linspace(-40.0, -6.0, 12 * RATE) / 20)
    bent = swell - 0.3 * swell**3 + noise(1e-6, 12.0)
    assert clipping.soft_clipping(bent, rate_hz=RATE).third_harmonic_slope == pytest.approx(3.0, abs=0.3)
    assert clipping.soft_clipping(swell + noise(1e-6, 12.0), rate_hz=RATE) is None


def test_steadiness_covers_the_truth_as_often_as_it_claims():
    """Talk of known spread, many times over: the level of the whole lies within the claimed error nine times in ten."""
    rng = np.random.default_rng(8)
    inside = 0
    for _ in range(60):
        words = np.repeat(rng.normal(0.0, 3.0, 120), 30)
        power = 10 ** ((words - 30.0) / 10) * rng.exponential(1.0, len(words))
        found = how_steady(power, 10 * np.log10(power) + 10)
        truth = 10 * np.log10(np.mean(10 ** ((rng.normal(0.0, 3.0, 200_000) - 30.0) / 10))) + 3.01
        inside += abs(found.active_level_dbfs - truth) <= found.active_error_db
    assert 47 <= inside <= 60


@pytest.mark.parametrize("part", ["talk", "passage"])
def test_talk_becomes_steady_and_is_then_as_well_known_as_said(part):
    sound = voice(part)
    power, peaks = frames_of(sound, rate_hz=RATE)
    whole = how_steady(power, peaks)
    for seconds in range(5, 46):
        found = how_steady(power[: seconds * 100], peaks[: seconds * 100])
        if found is not None and found.steady:
            break
    assert 12 <= seconds < 45
    assert found.active_level_dbfs == pytest.approx(whole.active_level_dbfs, abs=0.5)
    assert found.peak_dbfs == pytest.approx(whole.peak_dbfs, abs=0.5)
    assert how_steady(power[:300], peaks[:300]) is None
    assert how_steady(np.zeros(3000), np.full(3000, -200.0)) is None


TAPER = {0.0: -6.0, 2.0: 9.0, 4.0: 21.0, 6.0: 31.0, 8.0: 42.0, 10.0: 56.0}


def dial_takes(positions, seed=0):
    takes = []
    for k, position in enumerate(positions):
        sound = noise(1e-4, 5.0, seed=seed + k) * 10 ** (TAPER[position] / 20)
        takes.append(DialTake(position, *steady_level(frames_of(sound, rate_hz=RATE)[0])))
    return takes


def test_a_taper_is_recovered_within_what_it_says():
    found = learn(dial_takes([8.0, 2.0, 4.0, 6.0]))
    truth = [TAPER[p] - TAPER[2.0] for p in found.positions]
    assert list(found.gains_db) == pytest.approx(truth, abs=0.3)
    assert found.error_db < 0.3
    # Between marks the curve is smooth; the truth there is a straight line to half a decibel.
    assert found.gain_db(5.0) == pytest.approx(26.0 - TAPER[2.0], abs=0.6)
    assert found.db_per_unit == pytest.approx(33.0 / 6.0, abs=0.1)


def test_two_marks_are_enough_and_repeats_are_averaged():
    found = learn(dial_takes([4.0, 6.0, 4.0, 6.0]))
    assert found.positions == (4.0, 6.0)
    assert found.gains_db[1] == pytest.approx(10.0, abs=0.2)
    assert found.position_for(4.0, 7.5, low=0, high=10) == pytest.approx(5.5, abs=0.05)


def test_a_dial_that_cannot_be_learned_says_why():
    with pytest.raises(ValueError, match="second position"):
        learn(dial_takes([4.0]))
    with pytest.raises(ValueError, match="steady sound"):
        learn([DialTake(2.0, -20.0, 0.1), DialTake(4.0, -30.0, 0.1)])


@pytest.mark.parametrize(
    "position, unit, says",
    [(5.5, "dial", "5½"), (5.6, "dial", "5½"), (4.0, "dial", "4"), (0.25, "dial", "¼"), (62.4, "%", "62 %"), (31.0, "dB", "31 dB")],
)
def test_positions_are_spoken_as_they_are_read_off(position, unit, says):
    assert spoken(position, unit) == says


@pytest.fixture(scope="module")
def quiet():
    return read_quiet(room(), rate_hz=RATE)


def talk(peak_dbfs, part="talk", quiet=None):
    return read_talk(voice(part, peak=10 ** (peak_dbfs / 20)) + noise(2e-5, len(voice(part)) / RATE), rate_hz=RATE, quiet=quiet)


def preamp(position=30.0, low=0.0, high=56.0):
    return GainStage("preamp", "Preamp", "dB", True, position, low, high, 1.0)


def test_the_plan_takes_gain_off_after_the_converter_first():
    slider = GainStage(
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
    trim = GainStage("trim", "Device output", "dB", False, 3.0, -60.0, 24.0, 0.5, neutral=0.0)
    plan = plan_gain(talk(-20.0), stages=[preamp(), trim, slider])
    moves = {move.key: move for move in plan.moves}
    assert (moves["slider"].target, moves["slider"].change_db) == (100.0, pytest.approx(8.0))
    assert (moves["trim"].target, moves["trim"].change_db) == (0.0, pytest.approx(-3.0))
    # At the converter the peak stands at −20 + 8 − 3 = −15 dBFS: inside the aim, so the preamp stays.
    assert plan.expected_peak_dbfs == pytest.approx(-15.0, abs=0.3)
    assert plan.sentence.startswith("Set the device output from 3 dB to 0 dB, then set the input slider from 62 % to 100 %")


def test_a_slider_that_nobody_learned_makes_the_plan_a_careful_move():
    slider = GainStage("slider", "Input slider", "%", False, 62.0, 0.0, 100.0, 1.0, neutral=100.0)
    plan = plan_gain(talk(-12.0), stages=[preamp(), slider])
    assert not plan.certain
    assert next(m for m in plan.moves if m.key == "slider").change_db is None


def test_the_loudest_stay_under_their_ceiling_even_if_the_aim_suffers():
    loud = talk(-0.5, "loud")
    plan = plan_gain(talk(-14.0), stages=[preamp()], loud=loud)
    assert plan.change_db == -3.0
    assert plan.expected_loudest_dbfs <= LOUDEST_DBFS
    assert "normal peaks have to stay 2 dB under the aim" in plan.limit


def test_a_pad_goes_in_when_the_preamp_ends_and_out_when_it_is_not_needed():
    pad = GainStage("pad", "Pad", "switch", True, 0.0, 0.0, 1.0, 1.0, pad_db=10.0)
    plan = plan_gain(talk(-0.5), stages=[pad, preamp(5.0)])
    assert next(m for m in plan.moves if m.key == "pad").target == 1
    assert -15 <= plan.expected_peak_dbfs <= -10
    switched = GainStage("pad", "Pad", "switch", True, 1.0, 0.0, 1.0, 1.0, pad_db=10.0)
    plan = plan_gain(talk(-30.0), stages=[switched, preamp(50.0)])
    assert next(m for m in plan.moves if m.key == "pad").target == 0
    assert -15 <= plan.expected_peak_dbfs <= -10


def test_advice_is_spoken_in_the_dials_own_numbers():
    taper = Taper((2.0, 4.0, 6.0, 8.0), (0.0, 12.0, 22.0, 33.0), (0.0, 0.1, 0.1, 0.1))
    dial = GainStage("preamp", "Preamp", "dial", True, 4.0, 0.0, 10.0, 0.25, taper=taper)
    plan = plan_gain(talk(-20.0), stages=[dial])
    assert plan.sentence == "Turn the preamp from 4 to about 5½"
    assert plan.expected_peak_dbfs == pytest.approx(-12.5, abs=0.3)
    unlearned = plan_gain(talk(-20.0), stages=[GainStage("preamp", "Preamp", "dial", True, 4.0, 0.0, 10.0, 0.25)])
    assert "Learn the dial" in unlearned.moves[0].because


def test_the_aim_can_be_changed_and_limits_are_said():
    assert plan_gain(talk(-20.0), stages=[preamp()], aim_dbfs=(-22.0, -18.0)).verdict == "settled"
    stopped = plan_gain(talk(-40.0), stages=[preamp(50.0)], too_far_cm=80.0)
    assert "ends at 56 dB" in stopped.limit
    assert "At 80 cm" in stopped.limit
    overloaded = plan_gain(talk(-12.0), stages=[preamp()], loudest_peak_db_spl=128.0, max_spl_db=120.0)
    assert "overloads before any knob" in overloaded.limit


def bands_of(sound):
    return third_octaves(power_spectrum(sound, rate_hz=RATE, frame_s=1.4))


@pytest.mark.parametrize("room_rms, preamp_rms, converter_rms", [(1e-4, 2e-5, 3e-6), (2e-5, 8e-5, 1e-5), (1e-5, 1e-5, 8e-5)])
def test_the_floor_is_split_at_two_gains(room_rms, preamp_rms, converter_rms):
    """Room and preamp noise at the resting gain, converter noise behind the knob: each is found within half a decibel or left as faint."""

    def take(gain_db, seed, *, muted=False):
        gain = 10 ** ((gain_db - 32.0) / 20)
        sound = gain * noise(preamp_rms, 15.0, seed=seed) + noise(converter_rms, 15.0, seed=seed + 1)
        return FloorTake(bands_of(sound if muted else sound + gain * noise(room_rms, 15.0, seed=seed + 2)), gain_db)

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


def test_more_gain_costs_no_noise_while_the_room_dominates(quiet):
    rest = FloorTake(quiet.third_octaves, 30.0)
    split = split_floor(rest, muted=FloorTake(bands_of(noise(2e-6, 10.0)), 30.0), other=FloorTake(bands_of(room(2e-5, 10.0)), 10.0))
    assert "will not cost you noise" in split.meaning
    plan = plan_gain(talk(-22.0, quiet=quiet), stages=[preamp()], quiet=quiet, split=split)
    assert not plan.floor_assumed
    assert plan.expected_snr_db == pytest.approx(talk(-22.0, quiet=quiet).snr_db, abs=0.4)
