"""The low-pass stage: Butterworth, order 1 to 4.

Source: Butterworth (1930) by the bilinear transform.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import ClassVar, Self

from obsidian_wren.core.chain.filters import lowpass_sections
from obsidian_wren.core.chain.highpass import known_order
from obsidian_wren.core.chain.sections import Sections
from obsidian_wren.core.chain.stage import number


@dataclass(frozen=True)
class LowpassSpec:
    """Corner in Hz, order 1 to 4 (6 dB per octave each)."""

    kind: ClassVar[str] = "lowpass"
    frequency_hz: float
    order: int
    on: bool = True

    def build(self, *, rate_hz: float) -> Sections:
        """The stage at a rate; a corner at Nyquist or above passes all."""
        if self.frequency_hz >= 0.49 * rate_hz:
            return Sections(
                self.kind,
                lowpass_sections(self.frequency_hz, order=self.order, rate_hz=rate_hz)[:0],
            )
        return Sections(
            self.kind, lowpass_sections(self.frequency_hz, order=self.order, rate_hz=rate_hz)
        )

    @classmethod
    def from_settings(cls, settings: Mapping[str, object], *, on: bool) -> Self:
        """From ``frequency_hz`` and ``order``."""
        return cls(number(settings, "frequency_hz"), known_order(settings), on)
