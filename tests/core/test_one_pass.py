"""Stages in one pass give just what they give alone."""

import numpy as np
import pytest

from obsidian_wren.core.chain.compressor import CompressorSpec
from obsidian_wren.core.chain.deesser import DeesserSpec
from obsidian_wren.core.chain.deplosive import DeplosiveSpec
from obsidian_wren.core.chain.engine import VoiceChain
from obsidian_wren.core.chain.equalizer import EqualizerSpec
from obsidian_wren.core.chain.filters import EqualizerBand
from obsidian_wren.core.chain.gain import GainSpec
from obsidian_wren.core.chain.gate import GateSpec
from obsidian_wren.core.chain.highpass import HighpassSpec
from obsidian_wren.core.chain.leveller import LevellerSpec
from obsidian_wren.core.chain.limiter import LimiterSpec
from obsidian_wren.core.chain.lowpass import LowpassSpec
from obsidian_wren.core.chain.one_pass import OnePass, in_passes
from signals import RATE, voice

GATE = GateSpec(-40.0, 5.0, 100.0, 30.0, 1.0, 120.0, 150.0, 0.8, 120.0)
BANDS = tuple(EqualizerBand("peak", 200.0 * 2**k, 3.0 - k, 1.0) for k in range(6))
EVERY = (
    HighpassSpec(80.0, 4),
    DeplosiveSpec(-24.0, 150.0, 18.0, 60.0),
    GATE,
    EqualizerSpec(BANDS),
    LowpassSpec(15_000.0, 3),
    DeesserSpec(6500.0, -32.0, 4.0, 6.0, 0.9),
    LevellerSpec(-24.0, 5.0, 2.5, -45.0),
    CompressorSpec(-24.0, 3.0, 6.0, 3.0, 120.0, 8.0, 20.0),
    GainSpec(9.0),
    LimiterSpec(-3.0, 100.0),
)
SIZES = (1, 7, 120, 480, 4096)


def blocks(sound, seed=1):
    rng = np.random.default_rng(seed)
    at = 0
    while at < len(sound):
        count = int(rng.choice(SIZES))
        yield sound[at : at + count]
        at += count


def alone(stages, block):
    for stage in stages:
        block = stage.process(block)
    return block


@pytest.mark.parametrize("rate_hz", [RATE, 44_100])
@pytest.mark.parametrize("specs", [EVERY, EVERY[::-1], EVERY[2:3] * 2, (EqualizerSpec(()),) * 2])
def test_a_pass_gives_what_its_stages_give_alone(specs, rate_hz):
    chain = VoiceChain(specs, rate_hz)
    stages = [spec.build(rate_hz=rate_hz) for spec in specs]
    for block in blocks(voice()[: 4 * RATE]):
        np.testing.assert_allclose(chain.process(block), alone(stages, block), rtol=0, atol=1e-12)
        told = [stage.gain_db for stage in stages if stage.gain_db is not None]
        assert list(chain.gains_db.values()) == pytest.approx(told, abs=1e-9)
        for ours, theirs in zip(chain.stages, stages, strict=True):
            for mine, its in zip(ours.state, theirs.state, strict=True):
                np.testing.assert_allclose(mine, its, rtol=1e-9, atol=1e-12)


def test_every_stage_of_a_plain_chain_is_in_one_pass():
    stages = [spec.build(rate_hz=RATE) for spec in EVERY]
    ((count, together),) = in_passes(stages)
    assert count == len(EVERY)
    assert isinstance(together, OnePass)


def test_a_gate_behind_a_delay_begins_a_pass_so_that_it_hears_in_step():
    specs = (GainSpec(1.0), LimiterSpec(-3.0, 100.0), GATE, GainSpec(1.0), GATE)
    found = in_passes([spec.build(rate_hz=RATE) for spec in specs])
    assert [count for count, _ in found] == [2, 2, 1]


def test_a_gate_in_a_pass_opens_by_what_it_is_told():
    gate = GateSpec(-20.0, 5.0, 100.0, 30.0, 1.0, 50.0, 50.0, 0.0, 20.0, likelihood_db=6.0)
    specs = (GainSpec(0.0), gate)
    soft = 1e-3 * np.ones(RATE)
    told, untold = VoiceChain(specs, RATE), VoiceChain(specs, RATE)
    for block in np.split(soft, 100):
        heard = told.process(block, np.full(len(block), 20.0))
        plain = untold.process(block)
    assert heard[-1] == pytest.approx(1e-3, rel=1e-6)
    assert plain[-1] == pytest.approx(1e-3 * 10.0 ** (-30.0 / 20.0), rel=0.02)


def test_a_changed_chain_goes_on_with_what_its_stages_remember():
    sound = voice()[: 2 * RATE]
    changed, kept = VoiceChain(EVERY, RATE), VoiceChain(EVERY, RATE)
    changed.process(sound[:RATE])
    kept.process(sound[:RATE])
    changed.change(EVERY)
    for first in range(RATE, 2 * RATE, 480):
        now, then = (each.process(sound[first : first + 480]) for each in (changed, kept))
    np.testing.assert_allclose(now, then, atol=1e-9)


def test_a_stage_that_is_given_another_way_of_processing_runs_alone():
    chain = VoiceChain(EVERY, RATE)
    chain.stages[3].process = lambda block: block * 0.0
    assert not chain.process(voice()[:4800]).any()


def test_one_channel_of_several_and_what_may_not_be_written_to_are_sounds_like_others():
    sound = voice()[:4800]
    expected = VoiceChain(EVERY, RATE).process(sound)
    beside = np.column_stack([sound, sound])[:, 0]
    kept = sound.copy()
    kept.flags.writeable = False
    for other in (beside, kept):
        np.testing.assert_array_equal(VoiceChain(EVERY, RATE).process(other), expected)


@pytest.mark.parametrize("bad", [np.nan, np.inf, -1e300, 1e6])
def test_what_is_no_sound_enters_a_pass_as_each_stage_takes_it(bad):
    sound = voice()[:RATE].copy()
    spoiled, clean = sound.copy(), sound.copy()
    spoiled[1000], clean[1000] = bad, np.clip(np.nan_to_num(bad, posinf=0.0), -100.0, 100.0)
    chain, stages = VoiceChain(EVERY, RATE), [spec.build(rate_hz=RATE) for spec in EVERY]
    for first in range(0, RATE, 480):
        block = slice(first, first + 480)
        out = chain.process(spoiled[block])
        np.testing.assert_allclose(out, alone(stages, clean[block]), rtol=1e-9, atol=1e-9)
    assert not chain.troubles


def test_where_a_stage_before_a_pass_gives_what_is_no_sound_all_stages_begin_afresh():
    class Wild:
        kind, delay_samples, gain_db, state = "gate", 0, None, ()

        def process(self, block):
            return np.full(len(block), np.nan)

    chain = VoiceChain(EVERY, RATE)
    chain.stages[2] = Wild()
    assert np.isfinite(chain.process(voice()[:480])).all()
    out = [chain.process(voice()[at : at + 480]) for at in range(480, RATE, 480)]
    assert np.isfinite(out).all()
    assert np.abs(out[-1]).max() > 0.0
    assert not isinstance(chain.stages[2], Wild)
