"""A chain heard without a stage, or without one band of an equalizer: what each of them does is
best judged by ear.

Source: practice: a treatment is judged by taking it away, everything else as it was.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import replace
from typing import Any, cast

from obsidian_wren.core.chain.equalizer import EqualizerSpec
from obsidian_wren.core.chain.stage import StageSpec


def without(specs: Mapping[str, StageSpec], off: Collection[str]) -> tuple[StageSpec, ...]:
    """The stages in their order, those left out switched off where they stand, so that those behind
    keep their places.

    ``specs`` are by the keys of the stages; ``off`` names a stage by its key, or one of its bands
    as ``key/number``, counted from 1. What is not there is nothing to leave out.
    """
    return tuple(_without(key, spec, off) for key, spec in specs.items())


def _without(key: str, spec: StageSpec, off: Collection[str]) -> StageSpec:
    if key in off:
        return cast("StageSpec", replace(cast("Any", spec), on=False))
    if not isinstance(spec, EqualizerSpec):
        return spec
    bands = tuple(band for number, band in enumerate(spec.bands, 1) if f"{key}/{number}" not in off)
    return replace(spec, bands=bands)
