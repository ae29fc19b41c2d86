"""Resonances, targets and the uncertainty of bands."""

import numpy as np
import pytest

from obsidian_wren.core.chain.equalizer import EqualizerSpec
from obsidian_wren.core.chain.filters import EqualizerBand
from obsidian_wren.core.chain.offline import render
from obsidian_wren.core.derive.aims import Taste
from obsidian_wren.core.derive.tone import derive_tone
from obsidian_wren.core.derive.tone_problem import ToneAims
from obsidian_wren.core.derive.tone_target import (
    average_speech,
    bend_db,
    by_pitch,
    imported,
    same_voice,
)
from obsidian_wren.core.measure.readings import read_quiet, read_talk
from obsidian_wren.core.measure.resonances import find_resonances
from obsidian_wren.core.measure.speech import Pitch
from obsidian_wren.core.measure.voice_spectrum import POINT_HZ, certainty_db, mean_spectrum
from signals import RATE, room, voice


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
        aims = ToneAims(bend_db=bend_db(taste, POINT_HZ))
        return derive_tone(talk, quiet, None, aims=aims).correction_db

    change = corrected(Taste(clarity_db=4.0)) - corrected(Taste())
    at = {hz: int(np.abs(POINT_HZ - hz).argmin()) for hz in (500, 3200)}
    assert change[at[3200]] - change[at[500]] == pytest.approx(4.0, abs=1.5)
    assert bend_db(Taste(warmth_db=3.0), np.array([160.0]))[0] == pytest.approx(3.0)
    assert bend_db(Taste(air_db=5.0), np.array([300.0, 18_000.0])) == pytest.approx(
        [0.0, 4.5], abs=0.2
    )
    assert not bend_db(Taste(), POINT_HZ).any()


def test_an_imported_target_is_followed(quiet):
    talk = read_talk(passage(), rate_hz=RATE, quiet=quiet)
    wanted = talk.voice.points_db() + 3.0 * np.exp(-0.5 * (np.log2(POINT_HZ / 1500.0) / 0.5) ** 2)
    rows = [[float(hz), float(db)] for hz, db in zip(POINT_HZ, wanted, strict=True)][6:]
    target = imported(rows, name="Evening walk")
    assert (target.name, target.low_hz) == ("Evening walk", pytest.approx(POINT_HZ[6]))
    found = derive_tone(talk, quiet, None, aims=ToneAims(target, shape=1.0))
    assert found.target_name == "Evening walk"
    assert found.fit.residual_rms_db < 0.8
    boost = found.correction_db
    boost -= boost[int(np.abs(POINT_HZ - 400).argmin())]
    assert boost[int(np.abs(POINT_HZ - 1500).argmin())] == pytest.approx(3.0, abs=0.8)


def test_certainty_grows_with_more_speech_and_falls_where_passages_disagree(quiet):
    talk = read_talk(passage(), rate_hz=RATE, quiet=quiet)
    alone = certainty_db(talk.stretches_db)
    again = read_talk(passage(seed=5), rate_hz=RATE, quiet=quiet)
    together = certainty_db(np.concatenate([talk.stretches_db, again.stretches_db]))
    inside = (POINT_HZ > 150) & (POINT_HZ < 8000)
    assert np.median(together[inside]) < np.median(alone[inside])
    coloured = read_talk(
        passage([EqualizerBand("peak", 1000.0, 6.0, 2.0)], seed=6), rate_hz=RATE, quiet=quiet
    )
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
        talk,
        quiet,
        None,
        aims=ToneAims(
            same_voice(
                read_talk(
                    passage([EqualizerBand("peak", 900.0, 5.0, 1.0)])[: 40 * RATE], rate_hz=RATE
                ).voice
            )
        ),
    )
    assert found.bands
    for named in found.bands:
        assert 0.0 < named.sure_db < 3.0
    assert found.colour.sd_db.shape == POINT_HZ.shape
