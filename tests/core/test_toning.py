"""Plosives, sibilants, resonances, targets and taste, certainty, order of the stages."""

import numpy as np
import pytest
import scipy.signal

from obsidian_wren.core.chain.engine import render
from obsidian_wren.core.chain.equalizer import EqualizerSpec
from obsidian_wren.core.chain.filters import EqualizerBand
from obsidian_wren.core.chain.kinds import STAGE_KINDS
from obsidian_wren.core.derive.aims import Taste
from obsidian_wren.core.derive.order import warnings
from obsidian_wren.core.derive.tone import derive_tone
from obsidian_wren.core.derive.tone_target import average_speech, bend_db, by_pitch, imported, same_voice
from obsidian_wren.core.measure.plosives import find_plosives
from obsidian_wren.core.measure.readings import read_quiet, read_talk
from obsidian_wren.core.measure.resonances import find_resonances
from obsidian_wren.core.measure.sibilants import find_sibilants
from obsidian_wren.core.measure.speech import Pitch
from obsidian_wren.core.measure.voice_spectrum import POINT_HZ, certainty_db, mean_spectrum
from signals import RATE, noise, room, voice


def with_bursts(sound, times, height):
    out = sound.copy()
    at = np.arange(round(0.1 * RATE)) / RATE
    burst = height * np.exp(-at / 0.02) * np.sin(2 * np.pi * 40 * at) * (1 - np.exp(-at / 0.002))
    for start in times:
        first = round(start * RATE)
        out[first : first + len(burst)] += burst
    return out


def test_plosives_are_found_where_they_are_and_a_low_voice_is_none():
    times = (2.0, 5.5, 9.25, 14.0, 21.0)
    sound = voice()[: 25 * RATE] + noise(1e-4, 25.0)
    assert find_plosives(sound, rate_hz=RATE) == ()
    found = find_plosives(with_bursts(sound, times, 0.8), rate_hz=RATE)
    assert [p.at_s for p in found] == pytest.approx(times, abs=0.03)
    assert all(0.01 <= p.length_s <= 0.15 for p in found)
    # A hum under the voice lasts, so it is no burst.
    hum = 0.1 * np.sin(2 * np.pi * 50 * np.arange(len(sound)) / RATE)
    assert find_plosives(sound + hum, rate_hz=RATE) == ()
    assert find_plosives(np.zeros(RATE), rate_hz=RATE) == ()


def hissing(level_db, times, *, hz=6500.0, length_s=0.09):
    """A vowel-like buzz with hisses between, each ``level_db`` over it as a plain level."""
    at = np.arange(12 * RATE) / RATE
    buzz = scipy.signal.sawtooth(2 * np.pi * 120 * at)
    band = scipy.signal.butter(2, [150, 2500], "bandpass", fs=RATE, output="sos")
    buzz = scipy.signal.sosfilt(band, buzz)
    buzz *= 0.05 / np.sqrt(np.mean(buzz**2))
    hiss = scipy.signal.sosfilt(scipy.signal.butter(2, [hz / 1.15, hz * 1.15], "bandpass", fs=RATE, output="sos"), noise(1.0, 12.0))
    hiss *= 0.05 * 10 ** (level_db / 20) / np.sqrt(np.mean(hiss**2))
    inside = np.zeros(len(at), dtype=bool)
    for start in times:
        inside |= (at >= start) & (at < start + length_s)
    return np.where(inside, hiss, buzz) + noise(1e-5, 12.0)


def test_sibilants_are_found_with_frequency_and_loudness_beside_their_neighbours():
    times = (1.0, 2.5, 4.0, 6.0, 8.5, 10.0)
    for level in (-6.0, 3.0):
        found = find_sibilants(hissing(level, times), rate_hz=RATE)
        assert [s.at_s for s in found] == pytest.approx(times, abs=0.02)
        assert {s.sort for s in found} == {"s"}
        assert np.median([s.frequency_hz for s in found]) == pytest.approx(6500.0, rel=0.08)
        # K-weighting lifts 6.5 kHz by 4 dB, and a hiss's loudest 20 ms stand a little over its mean.
        assert np.median([s.over_neighbours_db for s in found]) == pytest.approx(level + 4.0, abs=1.5)


def test_a_stop_is_told_from_a_lasting_hiss_and_a_vowel_is_none():
    found = find_sibilants(hissing(0.0, (2.0, 5.0, 8.0), length_s=0.03), rate_hz=RATE)
    assert [s.sort for s in found] == ["t"] * 3
    assert find_sibilants(hissing(0.0, ()), rate_hz=RATE) == ()
    assert find_sibilants(np.zeros(100), rate_hz=RATE) == ()


@pytest.fixture(scope="module")
def quiet():
    return read_quiet(room(1e-4), rate_hz=RATE)


def passage(bands=(), seed=2):
    sound = voice("passage")
    sound = render([EqualizerSpec(tuple(bands))], sound, rate_hz=RATE) if bands else sound
    return sound + room(1e-4, len(sound) / RATE, seed=seed)


def test_a_narrow_resonance_is_found_and_broad_colour_is_not(quiet):
    plain_ = read_talk(passage(), rate_hz=RATE, quiet=quiet)
    rung = read_talk(passage([EqualizerBand("peak", 2400.0, 9.0, 8.0)]), rate_hz=RATE, quiet=quiet)
    before = find_resonances(plain_.voice, plain_.pitch_hz, low_hz=100, high_hz=9000)
    after = find_resonances(rung.voice, rung.pitch_hz, low_hz=100, high_hz=9000)
    strongest = after[0]
    assert strongest.frequency_hz == pytest.approx(2400.0, rel=0.04)
    assert strongest.over_db > 5.0
    assert all(abs(np.log2(r.frequency_hz / 2400.0)) > 0.05 for r in before if r.over_db > 4.0)
    broad = read_talk(passage([EqualizerBand("peak", 2400.0, 9.0, 0.6)]), rate_hz=RATE, quiet=quiet)
    assert not [
        r
        for r in find_resonances(broad.voice, broad.pitch_hz, low_hz=100, high_hz=9000)
        if abs(np.log2(r.frequency_hz / 2400.0)) < 0.1 and r.over_db > 4.0
    ]


def test_targets_for_lower_and_higher_voices_part_under_200_hz():
    low, high = average_speech(), average_speech(higher=True)
    same = POINT_HZ > 260
    assert np.abs(low.levels_db - high.levels_db)[same].max() < 1e-9
    assert (low.levels_db - high.levels_db)[np.abs(POINT_HZ - 112).argmin()] > 10
    assert by_pitch(Pitch(90, 110, 150)).name == low.name
    assert by_pitch(Pitch(170, 210, 260)).name == high.name
    assert by_pitch(None).name == low.name


def test_a_bent_target_bends_the_correction(quiet):
    """5 dB more clarity asks the equalizer for as much more around 3 kHz, beside what it had."""
    talk = read_talk(passage(), rate_hz=RATE, quiet=quiet)

    def corrected(taste):
        found = derive_tone(talk, quiet, None, target=average_speech().bent(taste)).fit
        return found.corrected_db - found.recorded_db

    change = corrected(Taste(clarity_db=4.0)) - corrected(Taste())
    at = {hz: int(np.abs(POINT_HZ - hz).argmin()) for hz in (500, 3200)}
    assert change[at[3200]] - change[at[500]] == pytest.approx(4.0, abs=1.5)
    assert bend_db(Taste(warmth_db=3.0), np.array([160.0]))[0] == pytest.approx(3.0)
    assert bend_db(Taste(air_db=5.0), np.array([300.0, 18_000.0])) == pytest.approx([0.0, 4.5], abs=0.2)
    assert not bend_db(Taste(), POINT_HZ).any()


def test_an_imported_target_is_followed(quiet):
    talk = read_talk(passage(), rate_hz=RATE, quiet=quiet)
    wanted = talk.voice.points_db() + 3.0 * np.exp(-0.5 * (np.log2(POINT_HZ / 1500.0) / 0.5) ** 2)
    rows = [[float(hz), float(db)] for hz, db in zip(POINT_HZ, wanted, strict=True)][6:]
    target = imported(rows, name="Evening walk")
    assert (target.name, target.low_hz) == ("Evening walk", pytest.approx(POINT_HZ[6]))
    found = derive_tone(talk, quiet, None, target=target)
    assert found.target_name == "Evening walk"
    assert found.fit.left_over_rms_db < 0.8
    boost = found.fit.corrected_db - found.fit.recorded_db
    boost -= boost[int(np.abs(POINT_HZ - 400).argmin())]
    assert boost[int(np.abs(POINT_HZ - 1500).argmin())] == pytest.approx(3.0, abs=0.8)


def test_certainty_grows_with_more_speech_and_falls_where_passages_disagree(quiet):
    talk = read_talk(passage(), rate_hz=RATE, quiet=quiet)
    alone = certainty_db(talk.stretches_db)
    again = read_talk(passage(seed=5), rate_hz=RATE, quiet=quiet)
    together = certainty_db(np.concatenate([talk.stretches_db, again.stretches_db]))
    inside = (POINT_HZ > 150) & (POINT_HZ < 8000)
    assert np.median(together[inside]) < np.median(alone[inside])
    coloured = read_talk(passage([EqualizerBand("peak", 1000.0, 6.0, 2.0)], seed=6), rate_hz=RATE, quiet=quiet)
    apart = certainty_db(np.concatenate([talk.stretches_db, coloured.stretches_db]))
    at = int(np.abs(POINT_HZ - 1000).argmin())
    assert apart[at] > 2 * together[at]
    # A louder stretch is no other tone.
    louder = talk.stretches_db + np.linspace(-6, 6, len(talk.stretches_db))[:, None]
    assert certainty_db(louder) == pytest.approx(alone)


def test_passages_are_averaged_at_one_level(quiet):
    talk = read_talk(passage(), rate_hz=RATE, quiet=quiet)
    twice = mean_spectrum([talk.voice, type(talk.voice)(talk.voice.cells * 9.0, talk.voice.top_hz)])
    assert twice.points_db() == pytest.approx(talk.voice.points_db())


def test_every_band_says_how_sure_it_is(quiet):
    talk = read_talk(passage(), rate_hz=RATE, quiet=quiet)
    found = derive_tone(
        talk, quiet, None, target=same_voice(read_talk(passage([EqualizerBand("peak", 900.0, 5.0, 1.0)])[: 40 * RATE], rate_hz=RATE).voice)
    )
    assert found.bands
    for named in found.bands:
        assert 0.0 < named.sure_db < 3.0
    assert found.certainty_db.shape == POINT_HZ.shape


def moved(kind, to):
    order = [k for k in STAGE_KINDS if k != kind]
    order.insert(to, kind)
    return order


@pytest.mark.parametrize(
    "order, kind, other",
    [
        (moved("limiter", 0), "limiter", "highpass"),
        (moved("limiter", 11), "limiter", "gain"),
        (moved("gate", 10), "gate", "compressor"),
        (moved("noise_reduction", 12), "noise_reduction", "compressor"),
        (moved("highpass", 12), "highpass", "gate"),
        (moved("deesser", 12), "deesser", "compressor"),
        (moved("leveller", 11), "leveller", "compressor"),
        (moved("ring_reduction", 6), "ring_reduction", "gate"),
        (moved("compressor", 0), "deplosive", "compressor"),
    ],
)
def test_an_order_that_defeats_a_stage_is_told(order, kind, other):
    assert (kind, other) in [(w.kind, w.other) for w in warnings(order)]
    for warning in warnings(order):
        assert warning.sentence.endswith(".")


def test_the_usual_order_and_stages_that_are_off_defeat_nothing():
    assert warnings(STAGE_KINDS) == ()
    assert warnings(["compressor", "limiter"]) == ()
    assert warnings([]) == ()
    assert {w.kind for w in warnings(["compressor", "gate", "limiter"])} == {"gate"}
