"""The engine: gliding between settings, stages that fail, dry and treated side by side."""

from dataclasses import dataclass, replace
from typing import ClassVar

import numpy as np
import pytest
from test_stages import CHAIN, FLAT_NOISE, SOUND, spec

from obsidian_wren.core.chain.delay import Delay
from obsidian_wren.core.chain.engine import VoiceChain
from obsidian_wren.core.chain.gain import Gain, GainSpec
from obsidian_wren.core.chain.noise_reduction import NoiseReductionSpec
from obsidian_wren.core.chain.offline import render, trace_gains
from signals import RATE, sine, voice

SWITCHABLE = [s.kind for s in CHAIN if s.kind != "limiter"]


def steepest(samples):
    return np.abs(np.diff(samples)).max()


def run(chain, sound, changes, size=480):
    """The sound in blocks; ``changes`` are specifications by the sample at which they come."""
    out = []
    for at in range(0, len(sound), size):
        for when, chosen in changes.items():
            if at <= when < at + size:
                chain.change(chosen)
        out.append(chain.process(sound[at : at + size]))
    return np.concatenate(out)


@pytest.mark.parametrize("kind", SWITCHABLE)
def test_a_stage_is_switched_without_a_click(kind):
    """A low tone has no steep slopes of its own, so a click would show."""
    tone = sine(110, -20.0, 3.0)
    others = tuple(s for s in CHAIN if s.kind != "colour") if kind != "colour" else CHAIN
    on = others
    off = tuple(replace(s, on=False) if s.kind == kind else s for s in others)
    out = run(VoiceChain(on, RATE), tone, {RATE: off, 2 * RATE: on})
    steady = max(steepest(out[RATE // 2 : RATE]), steepest(out[RATE + RATE // 2 : 2 * RATE]))
    assert steepest(out[RATE:]) <= 1.5 * steady
    assert np.abs(out[RATE:]).min() >= 0.0
    assert np.sqrt(np.mean(out[RATE : RATE + 9600] ** 2)) > 0.3 * np.sqrt(
        np.mean(out[RATE // 2 : RATE] ** 2)
    )


def test_a_glide_ends_in_exactly_the_new_chain():
    out = run(VoiceChain((GainSpec(0.0),), RATE), np.full(RATE, 0.1), {4800: (GainSpec(-20.0),)})
    assert out[4800] == pytest.approx(0.1)
    assert out[4800 + round(0.1 * RATE) :] == pytest.approx(0.01)
    assert (np.diff(out) <= 1e-12).all()


def test_a_glide_is_the_same_for_any_block_size():
    def glided(size):
        chain = VoiceChain(CHAIN[:6], RATE)
        chain.process(SOUND[:9600])
        chain.change(CHAIN[:3])
        rest = SOUND[9600:48_000]
        return np.concatenate(
            [chain.process(rest[i : i + size]) for i in range(0, len(rest), size)]
        )

    assert np.abs(glided(37) - glided(9600)).max() <= 1e-9


def test_changes_in_quick_succession_end_with_the_last():
    chain = VoiceChain((GainSpec(0.0),), RATE)
    for gain in (-6.0, -12.0, -18.0):
        chain.change((GainSpec(gain),))
    out = np.concatenate([chain.process(np.full(480, 0.1)) for _ in range(60)])
    assert out[-1] == pytest.approx(0.1 * 10 ** (-18 / 20))


def test_what_a_stage_remembers_is_taken_over():
    """A leveller that has ridden up stays there when another stage changes."""
    leveller = spec("leveller", target_dbfs=-20.0, range_db=9.0, speed_db_per_s=6.0)
    out = run(
        VoiceChain((leveller, GainSpec(0.0)), RATE),
        sine(500, -28.0, 5.0),
        {3 * RATE: (leveller, GainSpec(-1.0))},
    )
    level = 10 * np.log10(2 * np.mean(out[-RATE // 2 :] ** 2))
    assert level == pytest.approx(-21.0, abs=0.1)
    middle = 10 * np.log10(2 * np.mean(out[3 * RATE + 7200 : 3 * RATE + 9600] ** 2))
    assert middle == pytest.approx(-21.0, abs=0.1)


def test_the_delay_never_shrinks_while_it_runs():
    with_noise = (NoiseReductionSpec(12.0, FLAT_NOISE), GainSpec(0.0))
    chain = VoiceChain(with_noise, RATE)
    before = chain.delay_samples
    chain.change((GainSpec(0.0),))
    for _ in range(50):
        chain.process(np.zeros(480))
    assert chain.delay_samples == before
    click = np.zeros(4800)
    click[10] = 1.0
    assert int(chain.process(click).argmax()) == 10 + before


@dataclass(frozen=True)
class Failing:
    kind: ClassVar[str] = "gate"
    how: str
    on: bool = True

    def build(self, *, rate_hz):
        return FailingStage(self.how)


class FailingStage:
    kind = "gate"
    delay_samples = 48
    gain_db = None
    state = ()

    def __init__(self, how):
        self.how = how
        self.blocks = 0

    def process(self, block):
        self.blocks += 1
        if self.blocks < 4:
            return block
        if self.how == "raises":
            raise ZeroDivisionError("no ground")
        return np.full(len(block), np.nan)


@pytest.mark.parametrize("how", ["raises", "gives nonsense"])
def test_a_stage_that_fails_is_passed_over_and_told(how):
    chain = VoiceChain((GainSpec(-6.0), Failing(how), GainSpec(-6.0)), RATE)
    delay = chain.delay_samples
    out = np.concatenate([chain.process(np.full(480, 0.4)) for _ in range(30)])
    assert np.isfinite(out).all()
    assert out[-480:] == pytest.approx(0.4 * 10 ** (-12 / 20))
    assert chain.delay_samples == delay
    assert [trouble.kind for trouble in chain.troubles] == ["gate"]
    assert "bypassed" in chain.troubles[0].sentence


def test_dry_lines_up_with_treated():
    chain = VoiceChain(
        (spec("gate", range_db=0.0), NoiseReductionSpec(0.0, FLAT_NOISE), GainSpec(0.0)), RATE
    )
    dry = Delay(chain.delay_samples)
    sound = voice()[:RATE]
    pairs = [
        (dry.process(sound[i : i + 333]), chain.process(sound[i : i + 333]))
        for i in range(0, RATE, 333)
    ]
    left, right = (np.concatenate(side) for side in zip(*pairs, strict=True))
    assert np.abs(left - right)[4800:].max() < 1e-9


def test_rendering_lines_up_and_keeps_the_length():
    sound = voice()[: RATE + 17]
    for chain in ((NoiseReductionSpec(0.0, FLAT_NOISE),), (spec("limiter"),), (GainSpec(0.0),)):
        out = render(chain, sound, rate_hz=RATE)
        assert len(out) == len(sound)
        assert np.abs(out - sound)[2400:].max() < 1e-9
    assert len(render(CHAIN, np.zeros(0), rate_hz=RATE)) == 0


def test_traced_gains_are_those_that_act():
    tone = np.concatenate([sine(1000, -10.0, 1.0), sine(1000, -60.0, 1.0)])
    stage = spec(
        "compressor", makeup_db=0.0, knee_db=0.0, ratio=2.0, threshold_dbfs=-30.0, sidechain_hz=20.0
    )
    out, gains = trace_gains((stage, spec("limiter")), tone, rate_hz=RATE)
    assert np.abs(out - render((stage, spec("limiter")), tone, rate_hz=RATE)).max() < 1e-9
    assert set(gains) == {"compressor", "limiter"}
    assert gains["compressor"][80] == pytest.approx(-10.0, abs=0.1)
    assert gains["compressor"][190] == pytest.approx(0.0, abs=0.1)


def test_a_plain_gain_is_no_dynamics_stage():
    chain = VoiceChain((GainSpec(3.0), spec("compressor")), RATE)
    chain.process(np.zeros(480))
    assert set(chain.gains_db) == {"compressor"}
    assert isinstance(chain.stages[0], Gain)


@pytest.mark.parametrize("size", [480, 4800])
def test_gains_are_told_before_a_block_and_at_each_moment_of_a_change(size):
    def chain_of(ratio):
        stage = spec("compressor", makeup_db=0.0, knee_db=0.0, ratio=ratio, threshold_dbfs=-30.0)
        return stage, spec("limiter", ceiling_dbtp=-1.0)

    chain, tone = VoiceChain(chain_of(2.0), RATE), sine(1000, -10.0, 1.5)
    assert chain.gains_db == {"compressor": 0.0, "limiter": 0.0}
    told = []
    for at in range(0, len(tone), size):
        if at == RATE // 2:
            chain.change(chain_of(4.0))
        chain.process(tone[at : at + size])
        told.append(chain.gains_db["compressor"])
    before, after = (RATE // 2) // size, (RATE // 2 + 9600) // size
    assert told[before - 1] == pytest.approx(-10.0, abs=0.2)
    assert np.allclose(told[after:], -15.0, atol=0.2)
    # On the way nothing but what one of them gives.
    assert min(told[before:]) >= -15.2
    assert max(told[before:]) <= -9.8
