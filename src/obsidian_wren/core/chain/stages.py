"""Every stage's specification by kind, in the default order."""

from __future__ import annotations

from obsidian_wren.core.chain.colour import ColourSpec
from obsidian_wren.core.chain.compressor import CompressorSpec
from obsidian_wren.core.chain.deesser import DeesserSpec
from obsidian_wren.core.chain.deplosive import DeplosiveSpec
from obsidian_wren.core.chain.equalizer import EqualizerSpec
from obsidian_wren.core.chain.gain import GainSpec
from obsidian_wren.core.chain.gate import GateSpec
from obsidian_wren.core.chain.highpass import HighpassSpec
from obsidian_wren.core.chain.leveller import LevellerSpec
from obsidian_wren.core.chain.limiter import LimiterSpec
from obsidian_wren.core.chain.lowpass import LowpassSpec
from obsidian_wren.core.chain.noise_reduction import NoiseReductionSpec
from obsidian_wren.core.chain.ring_reduction import RingReductionSpec
from obsidian_wren.core.chain.stage import StageSpec

_SPECS: tuple[type[StageSpec], ...] = (
    HighpassSpec, DeplosiveSpec, NoiseReductionSpec, RingReductionSpec, GateSpec, EqualizerSpec, LowpassSpec, DeesserSpec,
    LevellerSpec, CompressorSpec, ColourSpec, GainSpec, LimiterSpec,
)  # fmt: skip
BY_KIND: dict[str, type[StageSpec]] = {spec.kind: spec for spec in _SPECS}
