import numpy as np
import pytest
import scipy.signal

from obsidian_wren.core.chain.equalizer import EqualizerSpec
from obsidian_wren.core.chain.filters import EqualizerBand
from obsidian_wren.core.derive.equalizer_problem import eq_response_db
from obsidian_wren.core.derive.highpass import derive_highpass
from obsidian_wren.core.derive.regions import region
from obsidian_wren.core.derive.rig_colour import within_level
from obsidian_wren.core.derive.tone import derive_tone, judge_tone
from obsidian_wren.core.derive.tone_problem import ToneAims
from obsidian_wren.core.derive.tone_target import average_speech, same_voice
from obsidian_wren.core.measure.readings import read_quiet, read_talk
from obsidian_wren.core.measure.speech import active_level, find_voice
from obsidian_wren.core.measure.voice_spectrum import (
    CELL_HZ,
    POINT_HZ,
    POINT_WEIGHTS,
    voice_spectrum,
)
from signals import RATE, noise, room, voice

# Byrne et al. 1994 at a few bands, relative to 1 kHz.
BYRNE = {250: 6.6, 500: 8.4, 2000: -5.0, 4000: -8.1, 8000: -10.0}


# A rig that adds body and bite.
COLOUR = (
    EqualizerBand("peak", 220.0, 7.0, 0.8),
    EqualizerBand("peak", 4000.0, 6.0, 0.9),
)


def coloured(sound):
    return EqualizerSpec(COLOUR).build(rate_hz=RATE).process(sound)


def passage():
    return coloured(voice("passage")) + room(seconds=len(voice("passage")) / RATE, seed=2)


@pytest.fixture(scope="module")
def talk(quiet):
    return read_talk(passage(), rate_hz=RATE, quiet=quiet)


@pytest.fixture(scope="module")
def highpass(talk, quiet):
    return derive_highpass(talk, quiet)


@pytest.fixture(scope="module")
def tone(talk, quiet, highpass):
    return derive_tone(talk, quiet, highpass.sections(rate_hz=RATE))


@pytest.mark.parametrize("hz", BYRNE)
def test_the_target_is_the_literature(hz):
    target = average_speech()
    level = np.interp(np.log([hz, 1000]), np.log(POINT_HZ), target.levels_db)
    # The table is smoothed over neighbours, so single bands may move by a decibel.
    assert level[0] - level[1] == pytest.approx(BYRNE[hz], abs=1.2)
    assert target.low_hz == 100.0


def test_cells_hold_the_power_of_the_speech_and_points_are_third_octaves(talk):
    sound = noise(0.05, 20.0)
    found = voice_spectrum(
        sound,
        rate_hz=RATE,
        voicing=find_voice(sound, rate_hz=RATE),
        active_level_dbfs=active_level(sound, rate_hz=RATE).level_dbfs,
    ).mean
    inside = (CELL_HZ > 45) & (CELL_HZ < 19_000)
    share = (19_000 - 45) / (RATE / 2)
    assert found.cells[inside].sum() == pytest.approx(0.05**2 * share, rel=0.03)
    # White noise: a third octave at 2 kHz holds 3 dB more than one at 1 kHz.
    level = found.points_db()
    at = [int(np.abs(POINT_HZ - hz).argmin()) for hz in (1000, 2000)]
    assert level[at[1]] - level[at[0]] == pytest.approx(
        10 * np.log10(POINT_HZ[at[1]] / POINT_HZ[at[0]]), abs=0.3
    )
    assert POINT_WEIGHTS.shape == (len(POINT_HZ), len(CELL_HZ))


def test_pauses_are_left_out_of_the_voice(talk):
    sound = voice("passage")[: 20 * RATE]
    gaps = np.concatenate([sound, noise(3e-4, 20.0)])
    dense = read_talk(sound, rate_hz=RATE).voice.points_db()
    sparse = read_talk(gaps, rate_hz=RATE).voice.points_db()
    inside = (POINT_HZ > 150) & (POINT_HZ < 8000)
    assert np.abs(dense - sparse)[inside].max() < 1.0


def test_every_band_says_what_would_be_without_it(tone, talk):
    assert 1 <= len(tone.bands) <= 8
    for named in tone.bands:
        assert "dB too" in named.because
        assert f"± {named.sure_db:.1f} dB" in named.because
        assert named.name.split(",")[0] in {region(hz) for hz in range(40, 16_000, 10)}
    assert len({named.name for named in tone.bands}) == len(tone.bands)


def test_a_flat_rig_is_left_alone(quiet):
    """This voice differs from the average by itself: that is no colour of the rig."""
    sound = voice("passage") + room(seconds=len(voice("passage")) / RATE, seed=2)
    found = derive_tone(read_talk(sound, rate_hz=RATE, quiet=quiet), quiet, None)
    inside = (POINT_HZ > 160) & (POINT_HZ < 7000)
    assert np.std(found.deviation_db[inside]) > 1.0
    assert np.std(found.correction_db[inside]) < 0.6 * np.std(found.deviation_db[inside])
    assert all(abs(named.band.gain_db) <= 3.0 for named in found.bands)


def test_what_the_rig_adds_is_inside_what_is_said_of_it(tone):
    truth = eq_response_db(COLOUR, POINT_HZ, rate_hz=RATE)
    inside = (POINT_HZ > 160) & (POINT_HZ < 7000)
    off = within_level(tone.colour.mean_db - truth, inside.astype(float))[inside]
    assert np.mean(np.abs(off) <= tone.colour.sd_db[inside]) >= 0.55
    left = within_level(truth + tone.correction_db, inside.astype(float))[inside]
    before = within_level(truth, inside.astype(float))[inside]
    assert np.std(left) < 0.75 * np.std(before)


def test_the_sound_beyond_its_band_is_left_alone(tone):
    """The talker ends at 11 kHz: no trust there, and no band."""
    assert tone.fit.high_hz < 11_000
    assert tone.fit.trust[POINT_HZ > 11_000].max() == 0.0
    assert all(named.band.frequency_hz < 11_500 for named in tone.bands)
    assert "Left alone under 100 Hz" in tone.left_alone


def test_nothing_is_trusted_under_the_voice(tone, talk):
    assert tone.fit.trust[POINT_HZ < 0.9 * talk.pitch_hz.p5].max(initial=0.0) == 0.0


def test_a_louder_take_gives_the_same_tone(quiet, tone, talk, highpass):
    """Tone is about shape:

    6 dB more preamp on voice and room changes nothing but the trust at the very edges.
    """
    sound = 2 * passage()
    louder_quiet = read_quiet(2 * room(), rate_hz=RATE)
    louder = derive_tone(
        read_talk(sound, rate_hz=RATE, quiet=louder_quiet),
        louder_quiet,
        highpass.sections(rate_hz=RATE),
    )
    assert [n.band.shape for n in louder.bands] == [n.band.shape for n in tone.bands]
    for ours, theirs in zip(louder.bands, tone.bands, strict=True):
        assert ours.band.frequency_hz == pytest.approx(theirs.band.frequency_hz, rel=0.02)
        assert ours.band.gain_db == pytest.approx(theirs.band.gain_db, abs=0.2)


def test_judging_the_fitted_bands_finds_the_fit(tone, talk, quiet, highpass):
    bands = [named.band for named in tone.bands]
    judged = judge_tone(talk, quiet, highpass.sections(rate_hz=RATE), bands, [False] * len(bands))
    assert judged.fit.residual_rms_db == pytest.approx(tone.fit.residual_rms_db, abs=0.01)
    worse = judge_tone(
        talk,
        quiet,
        highpass.sections(rate_hz=RATE),
        [EqualizerBand("peak", 1000.0, 6.0, 1.0)],
        [True],
    )
    assert worse.fit.residual_rms_db > tone.fit.residual_rms_db
    assert worse.bands[0].because.startswith("You set this.")


def test_a_response_file_tells_the_rig_nearly_whole(talk, quiet, tone):
    response = eq_response_db(COLOUR, POINT_HZ, rate_hz=RATE)
    known = derive_tone(talk, quiet, None, aims=ToneAims(mic_response_db=response))
    inside = (POINT_HZ > 160) & (POINT_HZ < 7000)
    left = within_level(response + known.correction_db, inside.astype(float))[inside]
    assert np.std(left) <= 1.2
    assert np.all(known.colour.sd_db[inside] < tone.colour.sd_db[inside])
    given = {line.name: line for line in known.known}["Microphone file"]
    before = {line.name: line for line in tone.known}["Microphone file"]
    assert given.given and not before.given
    assert given.uncertainty_db == pytest.approx(before.uncertainty_db, abs=0.1)


def test_a_phone_beside_it_tells_the_rig_within_its_own_spread(talk, quiet, tone):
    """A phone of a colour of its own, in a room of its own."""
    own = EqualizerSpec(
        (EqualizerBand("peak", 1500.0, 1.5, 0.7), EqualizerBand("low_shelf", 150.0, -6.0, 0.7))
    )
    heard = own.build(rate_hz=RATE).process(voice("passage"))
    phone = read_talk(heard + room(seconds=len(heard) / RATE, seed=9), rate_hz=RATE)
    known = derive_tone(talk, quiet, None, aims=ToneAims(phone=phone))
    colour = eq_response_db(COLOUR, POINT_HZ, rate_hz=RATE)
    inside = (POINT_HZ > 160) & (POINT_HZ < 7000)
    left = {
        name: np.std((colour + found.correction_db)[inside])
        for name, found in (("voice", tone), ("phone", known))
    }
    assert left["phone"] <= min(1.5, left["voice"])
    assert np.all(known.colour.sd_db[inside] < tone.colour.sd_db[inside])
    given = {line.name: line for line in known.known}["Phone beside it"]
    before = {line.name: line for line in tone.known}["Phone beside it"]
    assert given.given and not before.given
    assert given.uncertainty_db == pytest.approx(before.uncertainty_db, abs=0.2)


def test_a_response_file_speaks_where_the_voice_is_silent(talk, quiet, highpass, tone):
    response = np.where(POINT_HZ < 15_000, np.where(POINT_HZ > 9_500, 5.0, 0.0), np.nan)
    helped = derive_tone(
        talk, quiet, highpass.sections(rate_hz=RATE), aims=ToneAims(mic_response_db=response)
    )
    top = (POINT_HZ > 12_000) & (POINT_HZ < 15_000)
    assert helped.fit.trust[top].min() > 0.0
    assert tone.fit.trust[top].max() == 0.0
    assert helped.colour.mean_db[top].mean() - helped.colour.mean_db[POINT_HZ < 5_000].mean() > 3.0


def test_the_rooms_noise_is_taken_off_before_anything_is_fitted():
    """Strong noise above 4 kHz at 13 dB under the voice: without subtraction it would read as
    too much air."""
    sos = scipy.signal.butter(4, [4000, 8000], "bandpass", fs=RATE, output="sos")
    sound = voice("passage")
    hiss = scipy.signal.sosfilt(sos, noise(1.0, len(sound) / RATE, seed=8))
    level = 10 ** ((read_talk(sound, rate_hz=RATE).active_level_dbfs - 36) / 20)
    hiss *= level / np.sqrt(np.mean(hiss**2))
    rest = scipy.signal.sosfilt(sos, noise(1.0, 15.0, seed=9))
    rest *= level / np.sqrt(np.mean(rest**2))
    quiet = read_quiet(rest + room(1e-5), rate_hz=RATE)
    noisy = read_talk(sound + hiss, rate_hz=RATE, quiet=quiet)
    clean = read_talk(sound, rate_hz=RATE)
    from obsidian_wren.core.derive.trust import trust_from_snr, without_noise

    trusted = trust_from_snr(noisy.voice, quiet.noise) > 0.5
    subtracted = without_noise(noisy.voice, quiet.noise).points_db()
    inside = trusted & (POINT_HZ > 4200) & (POINT_HZ < 7600)
    assert inside.any()
    assert np.abs(subtracted - clean.voice.points_db())[inside].max() < 0.5


def test_another_microphone_can_be_the_target(quiet):
    """Same voice, brighter microphone as the reference: the fit is the difference of the two."""
    sound = voice("passage") + room(seconds=len(voice("passage")) / RATE, seed=2)
    talk = read_talk(sound, rate_hz=RATE, quiet=quiet)
    bright = [EqualizerBand("peak", 2500.0, 4.0, 0.9)]
    reference = read_talk(
        EqualizerSpec(tuple(bright)).build(rate_hz=RATE).process(voice("passage")), rate_hz=RATE
    ).voice
    found = derive_tone(
        talk,
        quiet,
        None,
        aims=ToneAims(same_voice(reference, corridor_db=0.5)),
    )
    strongest = max(found.bands, key=lambda named: named.band.gain_db)
    assert strongest.band.frequency_hz == pytest.approx(2500, rel=0.15)
    assert strongest.band.gain_db == pytest.approx(4.0, abs=1.0)
