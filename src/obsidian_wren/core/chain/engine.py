"""The block engine: stages in order, the same code live and offline.

>>> chain = VoiceChain(specification, rate_hz=48_000)          # doctest: +SKIP
>>> treated = chain.process(block)                             # doctest: +SKIP
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from obsidian_wren.core.chain import stages
from obsidian_wren.core.chain.filters import EqualizerBand
from obsidian_wren.core.chain.limiter import Limiter
from obsidian_wren.core.decibels import Samples

_OFFLINE_BLOCK = 4096


@dataclass(frozen=True)
class HighpassSpec:
    """High-pass: corner in Hz, order 1 to 4."""

    frequency_hz: float
    order: int
    on: bool = True


@dataclass(frozen=True)
class EqualizerSpec:
    """Equalizer: up to eight bands."""

    bands: tuple[EqualizerBand, ...]
    on: bool = True


@dataclass(frozen=True)
class GainSpec:
    """Gain to the listener's loudness, dB."""

    gain_db: float
    on: bool = True


@dataclass(frozen=True)
class LimiterSpec:
    """True-peak limiter: ceiling in dBTP, release in s to 63 %."""

    ceiling_dbtp: float
    release_s: float
    on: bool = True


StageSpec = HighpassSpec | EqualizerSpec | GainSpec | LimiterSpec


def build_stage(spec: StageSpec, *, rate_hz: float) -> stages.Stage:
    """The stage that runs a specification at a rate."""
    match spec:
        case HighpassSpec():
            return stages.highpass(frequency_hz=spec.frequency_hz, order=spec.order, rate_hz=rate_hz)
        case EqualizerSpec():
            return stages.equalizer(spec.bands, rate_hz=rate_hz)
        case GainSpec():
            return stages.Gain(gain_db=spec.gain_db)
        case LimiterSpec():
            return Limiter(ceiling_dbtp=spec.ceiling_dbtp, release_s=spec.release_s, rate_hz=rate_hz)


@dataclass
class VoiceChain:
    """Stages that are switched on, in order. Only finite samples leave; what comes in that is not finite counts as silence."""

    specification: Sequence[StageSpec]
    rate_hz: float
    stages: list[stages.Stage] = field(init=False)

    def __post_init__(self) -> None:
        self.stages = [build_stage(spec, rate_hz=self.rate_hz) for spec in self.specification if spec.on]

    @property
    def delay_samples(self) -> int:
        """Samples by which the output lags the input."""
        return sum(stage.delay_samples for stage in self.stages)

    def process(self, block: Samples) -> Samples:
        """Process ``(n,)`` samples of any length."""
        # A NaN or infinity anywhere makes the sum one.
        if not np.isfinite(block.sum()):
            block = np.where(np.isfinite(block), block, 0.0)
        for stage in self.stages:
            block = stage.process(block)
        return block


def render(specification: Sequence[StageSpec], samples: Samples, *, rate_hz: float) -> Samples:
    """Run ``(n,)`` samples through a fresh chain; the delay is taken off, so input and output line up."""
    chain = VoiceChain(specification, rate_hz)
    delay = chain.delay_samples
    padded = np.concatenate([samples, np.zeros(delay)])
    out = [chain.process(padded[i : i + _OFFLINE_BLOCK]) for i in range(0, len(padded), _OFFLINE_BLOCK)]
    return np.concatenate(out)[delay:] if out else samples
