"""Noise reduction and its cost."""

from dataclasses import replace

import numpy as np
import pytest

from obsidian_wren.core.chain.engine import VoiceChain
from obsidian_wren.core.chain.noise_reduction import NoiseReductionSpec
from obsidian_wren.core.chain.offline import render
from obsidian_wren.core.chain.short_time import ShortTime
from obsidian_wren.core.derive.noise_reduction import profile_rows
from obsidian_wren.core.measure.artefacts import restlessness_db, speech_loss
from obsidian_wren.core.measure.noise_profile import noise_profile
from obsidian_wren.core.measure.spectrum import power_spectrum, third_octaves
from obsidian_wren.core.measure.speech import active_level
from obsidian_wren.simulation import acoustics
from signals import RATE, voice

FANS = {
    "white": ((10.0, 0.0), (20_000.0, 0.0)),
    "fan": (
        (10.0, -12.0),
        (40.0, 0.0),
        (120.0, -3.0),
        (300.0, -10.0),
        (1000.0, -22.0),
        (4000.0, -36.0),
        (20000.0, -55.0),
    ),
    "rain": (
        (10.0, -60.0),
        (200.0, -30.0),
        (1000.0, -8.0),
        (3500.0, 0.0),
        (9000.0, -4.0),
        (20000.0, -16.0),
    ),
    "pink": ((20.0, 0.0), (20_000.0, -30.0)),
}


@pytest.fixture(scope="module", params=FANS)
def reduced(request):
    """A dry voice, a steady noise 20 dB under it, and what 15 dB of reduction makes of both,
    apart and together."""
    clean = voice("passage")[: 30 * RATE]
    level = active_level(clean, rate_hz=RATE).level_dbfs - 3.0103 - 20.0
    drawn = acoustics.shaped_noise(
        len(clean) + 10 * RATE, RATE, np.random.default_rng(4), FANS[request.param]
    )
    drawn *= 10 ** (level / 20) / np.sqrt(np.mean(drawn**2))
    rest, under = drawn[: 10 * RATE], drawn[10 * RATE :]
    spec = NoiseReductionSpec(15.0, profile_rows(noise_profile(rest, rate_hz=RATE)))
    return clean, rest, under, spec


def through_the_same_gains(spec, mixture, alone):
    """What the gains found on the mixture do to one part of it alone."""
    stage, before, after = spec.build(rate_hz=RATE), [], []
    stage.let_weigh(lambda spectra: after.append(np.abs(spectra)))
    stage.process(mixture)
    frames = ShortTime(rate_hz=RATE, delay_s=0.008)
    frames.process(mixture, lambda spectra: before.append(np.abs(spectra)))
    came, left = np.concatenate(before), np.concatenate(after)
    # A frame leaves when the next one has come.
    gains = np.ones_like(came)
    gains[:-1] = left[1:] / np.maximum(came[:-1], 1e-30)
    at, frames = 0, ShortTime(rate_hz=RATE, delay_s=0.008)

    def given(spectra):
        nonlocal at
        at += len(spectra)
        spectra *= gains[at - len(spectra) : at]

    return frames.process(alone, given)[frames.delay_samples :]


@pytest.mark.parametrize("asked_db", [4.0, 9.0, 18.0])
def test_a_steady_noise_falls_by_what_is_asked_and_keeps_its_character(reduced, asked_db):
    _, rest, _, spec = reduced
    quiet = render([replace(spec, reduction_db=asked_db)], rest, rate_hz=RATE)[RATE:]
    fall = 10 * np.log10(np.mean(rest[RATE:] ** 2) / np.mean(quiet**2))
    assert fall == pytest.approx(asked_db, abs=1.0)
    # Single bins that come and go would raise it: musical noise.
    assert peakiness(quiet) < 1.35 * peakiness(rest)


def peakiness(sound):
    """Kurtosis of the power of bins over time, the median from 200 Hz to 8 kHz."""
    frames = np.lib.stride_tricks.sliding_window_view(sound, 1024)[::512] * np.hanning(1024)
    hz = np.fft.rfftfreq(1024, 1 / RATE)
    power = np.abs(np.fft.rfft(frames, axis=1))[:, (hz > 200) & (hz < 8000)] ** 2
    away = power - power.mean(axis=0)
    return float(np.median((away**4).mean(axis=0) / (away**2).mean(axis=0) ** 2))


def test_no_clear_band_of_the_voice_falls_by_a_decibel(reduced):
    clean, _, under, spec = reduced
    left = through_the_same_gains(spec, clean + under, clean)
    bands = [
        third_octaves(power_spectrum(x, rate_hz=RATE, frame_s=0.17))
        for x in (clean[: len(left)], left, under)
    ]
    changes = [
        b.level_dbfs - a.level_dbfs
        for a, b, n in zip(*bands, strict=True)
        if a.level_dbfs - n.level_dbfs >= 10.0
    ]
    assert len(changes) >= 15
    assert max(np.abs(changes)) < 1.0


def test_what_is_left_of_the_noise_does_not_warble(reduced):
    _, rest, _, spec = reduced
    before = restlessness_db(rest[RATE:], rate_hz=RATE)
    after = restlessness_db(render([spec], rest, rate_hz=RATE)[RATE:], rate_hz=RATE)
    assert before == pytest.approx(5.6, abs=0.4)
    assert after < before + 1.0


def test_the_cost_read_from_a_real_take_is_the_true_one(reduced):
    clean, rest, under, spec = reduced
    told = speech_loss(
        clean + under, render([spec], clean + under, rate_hz=RATE), rest, rate_hz=RATE
    )
    assert told is not None
    assert told.loss_db < 1.0
    # A reduction without caution takes more, and that is told.
    dull = render([spec], clean + under, rate_hz=RATE) * 0.5
    assert speech_loss(clean + under, dull, rest, rate_hz=RATE).loss_db > 5.0
    assert speech_loss(under, under, under, rate_hz=RATE) is None


@pytest.mark.parametrize("talks", [False, True])
def test_the_profile_follows_a_fan_that_is_turned_up_and_says_that_it_was(talks):
    said = voice("talk")[: 40 * RATE] if talks else np.zeros(40 * RATE)
    said = said * 10 ** (-26 / 20) / 0.1
    drawn = acoustics.shaped_noise(60 * RATE, RATE, np.random.default_rng(6), FANS["pink"])
    drawn *= 1e-3 / np.sqrt(np.mean(drawn**2))
    rows = profile_rows(noise_profile(drawn[: 10 * RATE], rate_hz=RATE))
    louder = said + drawn[10 * RATE : 50 * RATE] * 2.0
    last = drawn[50 * RATE :] * 2.0
    for follow_s, least, most in ((0.0, 0.0, 6.0), (10.0, 10.5, 13.5)):
        chain = VoiceChain([NoiseReductionSpec(12.0, rows, follow_s=follow_s)], RATE)
        assert chain.strayed_db == pytest.approx(0.0, abs=0.5)
        chain.process(louder)
        assert chain.strayed_db == pytest.approx(6.0, abs=1.5)
        left = chain.process(last)[RATE:]
        fall = 10 * np.log10(np.mean(last[:-RATE] ** 2) / np.mean(left**2))
        assert least < fall < most
