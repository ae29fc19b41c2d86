from dataclasses import replace

import numpy as np
import pytest
import scipy.signal

from obsidian_wren.core.chain.equalizer import EqualizerSpec
from obsidian_wren.core.chain.filters import EqualizerBand
from obsidian_wren.core.derive.equalizer_caps import CAREFUL, KNOWN
from obsidian_wren.core.derive.equalizer_fit import fit_equalizer
from obsidian_wren.core.derive.equalizer_problem import eq_response_db
from obsidian_wren.core.derive.tone_target import average_speech, same_voice
from obsidian_wren.core.derive.trust import trust_from_snr, without_noise
from obsidian_wren.core.measure.readings import read_quiet, read_talk
from obsidian_wren.core.measure.voice_spectrum import POINT_HZ
from signals import RATE, noise, voice

RMS = 0.05
FLOOR = RMS * 10 ** (-40 / 20)


@pytest.fixture(scope="module")
def dry():
    sound = voice("passage")[: 40 * RATE]
    return sound * (RMS / np.sqrt(np.mean(sound**2)))


@pytest.fixture(scope="module")
def reference(dry):
    return read_talk(dry, rate_hz=RATE).voice


@pytest.fixture(scope="module")
def quiet():
    return read_quiet(noise(FLOOR, 15.0, seed=77), rate_hz=RATE)


def heard(dry, bands, seed):
    return read_talk(
        EqualizerSpec(tuple(bands)).build(rate_hz=RATE).process(dry)
        + noise(FLOOR, len(dry) / RATE, seed=seed),
        rate_hz=RATE,
    )


def secret_colour(seed):
    rng = np.random.default_rng(seed)
    return [
        EqualizerBand(
            "peak",
            float(np.exp(rng.uniform(np.log(120), np.log(8000)))),
            float(rng.uniform(-5, 5)),
            float(rng.uniform(0.5, 3)),
        )
        for _ in range(4)
    ]


@pytest.mark.parametrize("seed", range(8))
def test_a_secret_colour_is_recovered(seed, dry, reference, quiet):
    """Four random bells of up to 5 dB under 40 s of speech at 40 dB SNR: at most 0.25 dB rms and
    1.5 dB anywhere."""
    secret = secret_colour(seed)
    talk = heard(dry, secret, seed)
    trust = trust_from_snr(talk.voice, quiet.noise)
    fit = fit_equalizer(
        without_noise(talk.voice, quiet.noise),
        same_voice(reference, corridor_db=0.2),
        trust,
        rate_hz=RATE,
    )
    hz = np.geomspace(100, 9000, 300)
    left = eq_response_db(fit.bands, hz, rate_hz=RATE) + eq_response_db(secret, hz, rate_hz=RATE)
    left -= left.mean()
    assert np.sqrt(np.mean(left**2)) <= 0.25
    assert np.abs(left).max() <= 1.5
    assert len(fit.bands) <= 8


def test_the_same_input_gives_the_same_fit(dry, quiet):
    talk = heard(dry, secret_colour(1), 1)
    trust = trust_from_snr(talk.voice, quiet.noise)
    first, second = (
        fit_equalizer(talk.voice, average_speech(), trust, rate_hz=RATE) for _ in range(2)
    )
    assert first.bands == second.bands


def test_as_few_bands_as_the_corridor_asks(dry, reference, quiet):
    one = [EqualizerBand("peak", 900.0, 4.0, 1.0)]
    talk = heard(dry, one, 3)
    trust = trust_from_snr(talk.voice, quiet.noise)
    fit = fit_equalizer(
        without_noise(talk.voice, quiet.noise), same_voice(reference), trust, rate_hz=RATE
    )
    assert len(fit.bands) == 1
    assert fit.bands[0].frequency_hz == pytest.approx(900, rel=0.1)
    assert fit.bands[0].gain_db == pytest.approx(-4.0, abs=0.6)
    nothing = fit_equalizer(reference, same_voice(reference), np.ones(len(POINT_HZ)), rate_hz=RATE)
    assert nothing.bands == ()


def test_pins_stay_and_the_rest_is_fitted_around_them(dry, reference, quiet):
    talk = heard(
        dry, [EqualizerBand("peak", 400.0, 5.0, 1.2), EqualizerBand("peak", 3000.0, -4.0, 1.0)], 4
    )
    trust = trust_from_snr(talk.voice, quiet.noise)
    pin = EqualizerBand("peak", 400.0, -5.0, 1.2)
    fit = fit_equalizer(
        without_noise(talk.voice, quiet.noise),
        same_voice(reference),
        trust,
        rate_hz=RATE,
        pinned=[pin],
    )
    assert pin in fit.bands
    assert fit.pinned[fit.bands.index(pin)]
    assert fit.worst_db <= 1.6
    assert any(2300 < band.frequency_hz < 3900 and band.gain_db > 2 for band in fit.bands)


def test_boosts_stay_under_their_cap_however_dull_the_voice(dry, reference, quiet):
    dull = [EqualizerBand("high_shelf", 2500.0, -15.0, 0.7)]
    talk = heard(dry, dull, 5)
    trust = np.where(POINT_HZ < 9000, 1.0, 0.0)
    for caps in (CAREFUL, KNOWN):
        fit = fit_equalizer(talk.voice, same_voice(reference), trust, rate_hz=RATE, caps=caps)
        total = eq_response_db(fit.bands, POINT_HZ, rate_hz=RATE)
        assert total.max() <= caps.boost_db + 0.5
        assert all(-caps.cut_db <= band.gain_db <= caps.boost_db for band in fit.bands)


@pytest.mark.parametrize("seed", range(6))
def test_a_careful_fit_is_gentle_whatever_it_is_asked(seed, reference):
    """Jagged targets: boosts of at most 4 dB and Q 1.4, cuts of at most 6 dB and Q 3, and the whole
    curve no steeper than 12 dB per octave."""
    rng = np.random.default_rng(seed)
    asked = np.convolve(rng.normal(0, 26, len(POINT_HZ) + 14), np.ones(15) / 15, mode="valid")
    target = replace(same_voice(reference), levels_db=reference.points_db() + asked)
    trust = ((POINT_HZ > 100) & (POINT_HZ < 9000)).astype(float)
    fit = fit_equalizer(reference, target, trust, rate_hz=RATE, caps=CAREFUL)
    assert fit.bands
    for band in fit.bands:
        assert -6.0 <= band.gain_db <= 4.0
        assert band.q <= (1.401 if band.gain_db > 0 else 3.001)
    hz = np.geomspace(100, 9000, 400)
    total = eq_response_db(fit.bands, hz, rate_hz=RATE)
    assert -6.5 <= total.min() <= total.max() <= 4.5
    assert np.abs(np.diff(total) / np.diff(np.log2(hz))).max() <= 13.0


def test_what_carries_no_voice_is_left_alone(dry, quiet):
    """A low-passed voice over noise: no boost where only the room is left."""
    cut = [EqualizerBand("high_shelf", 3000.0, -24.0, 0.7)] * 3
    talk = heard(dry, cut, 6)
    trust = trust_from_snr(talk.voice, quiet.noise)
    assert trust[POINT_HZ > 8000].max() == 0.0
    fit = fit_equalizer(
        without_noise(talk.voice, quiet.noise), average_speech(), trust, rate_hz=RATE
    )
    assert fit.high_hz < 8000
    assert eq_response_db(fit.bands, POINT_HZ[POINT_HZ > 8000], rate_hz=RATE).max() < 1.5


def test_a_voice_under_the_noise_cannot_be_fitted(reference):
    with pytest.raises(ValueError, match="less than one octave"):
        fit_equalizer(reference, average_speech(), np.zeros(len(POINT_HZ)), rate_hz=RATE)


@pytest.mark.parametrize("seed", range(2))
def test_a_secret_colour_is_recovered_from_a_voice_that_is_not_shipped(seed, quiet):
    """The recording sped up by a seventh: pitch and vocal tract of somebody smaller, who reads
    faster."""
    dry = scipy.signal.resample_poly(np.tile(voice("passage"), 2), 7, 8)[: 40 * RATE]
    reference = read_talk(dry, rate_hz=RATE)
    secret = secret_colour(20 + seed)
    talk = heard(dry, secret, seed)
    assert talk.pitch_hz.p50 > 1.1 * read_talk(voice("passage"), rate_hz=RATE).pitch_hz.p50
    trust = trust_from_snr(talk.voice, quiet.noise)
    fit = fit_equalizer(
        without_noise(talk.voice, quiet.noise),
        same_voice(reference.voice, corridor_db=0.2),
        trust,
        rate_hz=RATE,
    )
    hz = np.geomspace(120, 9000, 300)
    left = eq_response_db(fit.bands, hz, rate_hz=RATE) + eq_response_db(secret, hz, rate_hz=RATE)
    left -= left.mean()
    assert np.sqrt(np.mean(left**2)) <= 0.25
    assert np.abs(left).max() <= 1.5
