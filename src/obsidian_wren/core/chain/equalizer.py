"""The equalizer stage: bells and shelves.

Source: Bristow-Johnson, "Cookbook formulae for audio EQ biquad filter coefficients".
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import ClassVar, Self

import numpy as np

from obsidian_wren.core.chain.filters import EqualizerBand, band_section
from obsidian_wren.core.chain.sections import Sections
from obsidian_wren.core.chain.stage import BadSetting
from obsidian_wren.core.wording import _


@dataclass(frozen=True)
class EqualizerSpec:
    """Bands in series."""

    kind: ClassVar[str] = "equalizer"
    bands: tuple[EqualizerBand, ...]
    on: bool = True

    def build(self, *, rate_hz: float) -> Sections:
        """The stage at a rate."""
        rows = [band_section(band, rate_hz=rate_hz) for band in self.bands]
        return Sections(self.kind, np.array(rows) if rows else np.zeros((0, 6)))

    @classmethod
    def from_settings(cls, settings: Mapping[str, object], *, on: bool) -> Self:
        """From ``bands``, a sequence of EqualizerBand. Raises BadSetting for anything else."""
        bands = settings.get("bands")
        if not isinstance(bands, (list, tuple)):
            raise BadSetting(_("has no “bands”"))
        return cls(tuple(band for band in bands if isinstance(band, EqualizerBand)), on)
