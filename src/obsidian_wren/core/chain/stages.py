"""Every stage's specification by kind, in the default order."""

from __future__ import annotations

from obsidian_wren.core.chain.equalizer import EqualizerSpec
from obsidian_wren.core.chain.gain import GainSpec
from obsidian_wren.core.chain.highpass import HighpassSpec
from obsidian_wren.core.chain.limiter import LimiterSpec
from obsidian_wren.core.chain.stage import StageSpec

BY_KIND: dict[str, type[StageSpec]] = {spec.kind: spec for spec in (HighpassSpec, EqualizerSpec, GainSpec, LimiterSpec)}
