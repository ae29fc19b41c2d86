"""One stage of every kind, set to do something: what runs all of them runs everything that a
calibration can ever need.

Source: by definition; the settings are in the middle of their ranges and mean nothing.
"""

from __future__ import annotations

from typing import Any

from obsidian_wren.core.chain.filters import EqualizerBand
from obsidian_wren.core.chain.kinds import KINDS
from obsidian_wren.core.chain.stage import StageSpec

# What kinds are told beside their numbers: lines of hum, the noise, bands.
_TOLD: dict[str, dict[str, Any]] = {
    "hum": {"mains_hz": 50.0, "settle_s": 0.5, "lines": [[1, -40.0, -90.0], [3, -50.0, -90.0]]},
    "learned": {"quiet_dbfs": -120.0, "under_voice_db": 40.0},
    "noise_reduction": {"profile": [[0.0, -70.0], [24_000.0, -70.0]]},
    "equalizer": {"bands": [EqualizerBand("peak", 1000.0, 3.0, 1.0)]},
    # Loud enough for everything that works over a level.
    "deesser": {"threshold_dbfs": -70.0},
    "deplosive": {"threshold_dbfs": -70.0},
    "compressor": {"threshold_dbfs": -60.0, "makeup_db": 0.0},
    "clicks": {"over_db": 2.0, "loudest_dbfs": 0.0, "range_db": 30.0},
    "limiter": {"ceiling_dbtp": -30.0},
    "gate": {"threshold_dbfs": 0.0, "likelihood_db": 0.0, "hold_ms": 10.0},
}


def one_of_each() -> dict[str, StageSpec]:
    """Every kind of stage, on, by its key; levels in dBFS, frequencies in Hz."""
    found: dict[str, StageSpec] = {}
    for key, kind in KINDS.items():
        values: dict[str, Any] = {p.name: 0.5 * (p.low + p.high) for p in kind.parameters}
        values |= _TOLD.get(key, {})
        found[key] = kind.spec_class().from_settings(values, on=True)
    return found
