"""What the calibration announces."""

from __future__ import annotations

from dataclasses import dataclass

from obsidian_wren.core.chain.stage import StageSpec


@dataclass(frozen=True)
class ChainChanged:
    """The chain of the rig in hand was derived anew; ``keys`` name its stages."""

    specs: tuple[StageSpec, ...]
    keys: tuple[str, ...]
