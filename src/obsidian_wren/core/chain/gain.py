"""The gain stage.

Source: by definition, 20 log10 of the factor.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from obsidian_wren.core.chain.stage import Numbers
from obsidian_wren.core.decibels import Samples, amplitude_from_db


class Gain:
    """A plain gain in dB."""

    kind = "gain"
    delay_samples = 0
    state: tuple[Samples, ...] = ()

    def __init__(self, *, gain_db: float) -> None:
        self.gain_db = None
        self._factor = amplitude_from_db(gain_db)
        self.fixed = (self._factor,)

    def move_to(self, state: tuple[Samples, ...]) -> None:
        """It remembers nothing: no array ``(n,)``."""

    def process(self, block: Samples) -> Samples:
        """Scale ``(n,)`` samples."""
        return np.asarray(block * self._factor)


@dataclass(frozen=True)
class GainSpec(Numbers):
    """Gain to the listener's loudness, dB."""

    kind: ClassVar[str] = "gain"
    gain_db: float
    on: bool = True

    def build(self, *, rate_hz: float) -> Gain:
        """The stage; a gain is the same at every rate."""
        return Gain(gain_db=self.gain_db)
