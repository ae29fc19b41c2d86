"""Second-order sections in series, with their state: what high-pass, low-pass and equalizer run
as.

Source: transposed direct form II, Oppenheim and Schafer, "Discrete-Time Signal Processing".
"""

from __future__ import annotations

import numpy as np

from obsidian_wren.core.chain.filters import run_sections
from obsidian_wren.core.decibels import Samples


class Sections:
    """``sections`` is ``(k, 6)``; no sections pass the sound unchanged."""

    delay_samples = 0
    gain_db = None

    def __init__(self, kind: str, sections: Samples) -> None:
        self.kind = kind
        self.sections = sections
        self.fixed = (sections,)
        self.move_to((np.zeros((len(sections), 2)),))

    def move_to(self, state: tuple[Samples, ...]) -> None:
        """Go on with the memory in this array."""
        self.state = state

    def process(self, block: Samples) -> Samples:
        """Filter ``(n,)`` samples."""
        out = np.empty_like(block)
        run_sections(self.sections, self.state[0], block, out)
        return out
