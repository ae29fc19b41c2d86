"""The likelihood ratio of speech on its way from noise reduction to a gate."""

from dataclasses import replace

import numpy as np
import pytest

from obsidian_wren.core.chain.engine import VoiceChain
from obsidian_wren.core.chain.gate import GateSpec
from obsidian_wren.core.chain.limiter import LimiterSpec
from obsidian_wren.core.chain.noise_reduction import NoiseReductionSpec
from obsidian_wren.core.chain.offline import render, render_stage
from obsidian_wren.core.chain.ring_reduction import RingReductionSpec
from obsidian_wren.core.derive.gate_evidence import DetectorTrace
from obsidian_wren.core.derive.gate_opening import opening_between
from obsidian_wren.core.derive.noise_reduction import profile_rows
from obsidian_wren.core.measure.noise_profile import noise_profile
from signals import RATE, noise, sine, voice

REST = noise(1e-3, 12.0, seed=2)
REDUCTION = NoiseReductionSpec(12.0, profile_rows(noise_profile(REST, rate_hz=RATE)))
# Only speech that is told likely can open it: nothing is as loud as its threshold.
GATE = GateSpec(-3.0, 3.0, 100.0, 40.0, 0.8, 100.0, 60.0, 2.5, 80.0, likelihood_db=0.5)


def burst_at(second):
    """A soft voiced sound of 0.4 s in the room, 12 dB over it."""
    sound = noise(1e-3, 4.0, seed=5)
    said = sum(sine(150.0 * k, -52.0 - 2.0 * k, 0.4) for k in range(1, 12))
    sound[round(second * RATE) :][: len(said)] += said
    return sound


@pytest.mark.parametrize(
    "between", [(), (RingReductionSpec(3.0, 0.3, -10.0),), (LimiterSpec(-1.0, 60.0),)]
)
def test_a_gate_opens_for_soft_speech_in_time_whatever_delays_lie_between(between):
    sound = burst_at(2.0)
    ungated = render([REDUCTION, *between], sound, rate_hz=RATE)
    gated = render([REDUCTION, *between, GATE], sound, rate_hz=RATE)

    def gain_db(first, last):
        part = slice(round(first * RATE), round(last * RATE))
        return 10 * np.log10(np.mean(gated[part] ** 2) / np.mean(ungated[part] ** 2))

    assert gain_db(1.0, 1.9) < -35.0
    # Its first 20 ms are there, and its end.
    assert gain_db(2.0, 2.02) > -1.5
    assert gain_db(2.1, 2.4) > -0.2
    assert gain_db(3.2, 3.8) < -35.0


def test_by_level_alone_the_same_sound_stays_shut():
    chain = [REDUCTION, replace(GATE, likelihood_db=0.0)]
    out = render(chain, burst_at(2.0), rate_hz=RATE)
    assert np.abs(out[round(1.9 * RATE) : round(2.5 * RATE)]).max() < 2e-3


def test_a_gate_before_noise_reduction_goes_by_level():
    out = render([GATE, REDUCTION], burst_at(2.0), rate_hz=RATE)
    alone = render([replace(GATE, likelihood_db=0.0), REDUCTION], burst_at(2.0), rate_hz=RATE)
    np.testing.assert_allclose(out, alone, rtol=0, atol=1e-12)


def test_what_is_told_is_the_same_live_and_stage_by_stage():
    sound = burst_at(1.5)
    whole = render([REDUCTION, GATE], sound, rate_hz=RATE)
    reduced, told = render_stage(REDUCTION, sound, None, rate_hz=RATE)
    assert told.shape == sound.shape
    after, same = render_stage(GATE, reduced, told, rate_hz=RATE)
    # The first hold begins with the first sample that comes, here later.
    np.testing.assert_allclose(after[RATE:], whole[RATE:], rtol=0, atol=1e-9)
    assert same is told


def test_a_chain_that_fails_before_the_gate_leaves_it_to_the_level():
    chain = VoiceChain([REDUCTION, GATE], RATE)
    chain.process(np.zeros(480))

    def fails(block):
        raise RuntimeError("broken on purpose")

    chain.stages[0].process = fails
    for _ in range(3):
        out = chain.process(noise(1e-3, 0.01))
    assert len(out) == 480
    assert [trouble.kind for trouble in chain.troubles] == ["noise_reduction"]


def test_ring_reduction_behind_noise_reduction_costs_no_delay_and_holds_the_same():
    drawn = np.random.default_rng(3).standard_normal(RATE)
    late = drawn * np.exp(-6.91 * np.arange(RATE) / (0.8 * RATE))
    said = voice()[: 6 * RATE]
    rings = np.fft.irfft(np.fft.rfft(said, 8 * RATE) * np.fft.rfft(late, 8 * RATE), 8 * RATE)[
        : 6 * RATE
    ]
    heard = said + rings * np.sqrt(np.mean(said**2) / np.mean(rings**2))
    ring = RingReductionSpec(8.0, 0.8, 0.0)
    alone = VoiceChain([REDUCTION], RATE).delay_samples
    assert VoiceChain([REDUCTION, ring], RATE).delay_samples == alone
    together = render([REDUCTION, ring], heard, rate_hz=RATE)
    apart = render([ring], render([REDUCTION], heard, rate_hz=RATE), rate_hz=RATE)
    untouched = render([REDUCTION], heard, rate_hz=RATE)
    held = 10 * np.log10(np.mean(together**2) / np.mean(untouched**2))
    assert held < -1.0
    assert held == pytest.approx(10 * np.log10(np.mean(apart**2) / np.mean(untouched**2)), abs=0.3)


def levels(middle, count, seed):
    return middle + 4.0 * np.random.default_rng(seed).standard_normal(count)


def test_the_edge_is_what_the_room_hardly_ever_reaches():
    drawn = np.random.default_rng(1)
    steady = DetectorTrace(levels(-60.0, 20_000, 1), 0.1 * drawn.random(20_000), 1.25e-4)
    speech = DetectorTrace(levels(-40.0, 20_000, 2), drawn.exponential(4.0, 20_000), 1.25e-4)
    found = opening_between(speech, steady, 0.8)
    assert found.likelihood_db == pytest.approx(0.3, rel=0.15)
    assert np.mean(steady.likelihoods_db >= found.likelihood_db) == 0.0
    assert found.likely == pytest.approx(np.mean(speech.likelihoods_db >= found.likelihood_db))
    # With it less of the speech stays shut, over a threshold that is higher.
    alone = opening_between(speech, steady, 0.8, held_db=0.0)
    assert alone.threshold_dbfs == alone.by_level_dbfs == found.by_level_dbfs
    assert found.by_level_dbfs + 1.0 < found.threshold_dbfs <= found.by_level_dbfs + 3.0
    assert found.cut < alone.cut
    assert found.leaked < alone.leaked
    # Speech in the room itself leaves nothing to tell them apart by.
    loud = replace(steady, likelihoods_db=drawn.exponential(3.0, 20_000))
    assert opening_between(speech, loud, 0.8).likelihood_db == 0.0
    unknown = replace(steady, likelihoods_db=np.empty(0))
    assert opening_between(speech, unknown, 0.8).likelihood_db == 0.0
