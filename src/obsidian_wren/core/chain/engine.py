"""The block engine: stages in order, the same code live and offline.

>>> from obsidian_wren.core.chain.gain import GainSpec
>>> chain = VoiceChain((GainSpec(6.0),), rate_hz=48_000)
>>> chain.process(np.array([0.1, -0.1])).round(3).tolist()
[0.2, -0.2]
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from obsidian_wren.core.chain.stage import Stage, StageSpec
from obsidian_wren.core.decibels import Samples

_OFFLINE_BLOCK = 4096


@dataclass
class VoiceChain:
    """Stages that are switched on, in order. Only finite samples leave; what comes in that is not finite counts as silence."""

    specification: Sequence[StageSpec]
    rate_hz: float
    stages: list[Stage] = field(init=False)

    def __post_init__(self) -> None:
        self.stages = [spec.build(rate_hz=self.rate_hz) for spec in self.specification if spec.on]

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
