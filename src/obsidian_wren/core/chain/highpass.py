"""The high-pass stage: Butterworth, order 1 to 4.

Source: Butterworth (1930) by the bilinear transform.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import ClassVar, Self

from obsidian_wren.core.chain.filters import highpass_sections
from obsidian_wren.core.chain.sections import Sections
from obsidian_wren.core.chain.stage import BadSetting, number
from obsidian_wren.core.wording import _


def known_order(settings: Mapping[str, object]) -> int:
    """The setting ``order``, 1 to 4. Raises BadSetting."""
    order = int(number(settings, "order"))
    if not 1 <= order <= 4:
        raise BadSetting(_("has order {order}; orders 1 to 4 are supported", order=order))
    return order


@dataclass(frozen=True)
class HighpassSpec:
    """Corner in Hz, order 1 to 4 (6 dB per octave each)."""

    kind: ClassVar[str] = "highpass"
    frequency_hz: float
    order: int
    on: bool = True

    def build(self, *, rate_hz: float) -> Sections:
        """The stage at a rate."""
        return Sections(
            self.kind, highpass_sections(self.frequency_hz, order=self.order, rate_hz=rate_hz)
        )

    @classmethod
    def from_settings(cls, settings: Mapping[str, object], *, on: bool) -> Self:
        """From ``frequency_hz`` and ``order``."""
        return cls(number(settings, "frequency_hz"), known_order(settings), on)
