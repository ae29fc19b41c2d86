"""What the dynamics stages run as: a kernel, the arrays that it carries from block to block, and
those that stay.

Source: Giannoulis, Massberg and Reiss, "Digital dynamic range compressor design", JAES 60
(2012).
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from obsidian_wren.core.decibels import Samples


class Dynamics:
    """``kernel(block, out, *state, *fixed)`` fills ``out`` and gives the lowest gain of the
    block in dB."""

    def __init__(
        self,
        kind: str,
        kernel: Callable[..., float],
        *,
        state: tuple[Samples, ...],
        fixed: tuple[Any, ...],
        delay_samples: int = 0,
    ) -> None:
        self.kind = kind
        self.delay_samples = delay_samples
        self.gain_db = 0.0
        self.kernel, self.fixed = kernel, fixed
        self.move_to(state)

    def move_to(self, state: tuple[Samples, ...]) -> None:
        """Go on with the memory in these arrays, ``(n,)`` or ``(sections, 2)``."""
        self.state = state
        self._arguments = (*state, *self.fixed)

    def process(self, block: Samples) -> Samples:
        """Process ``(n,)`` samples; the output lags by ``delay_samples``."""
        out = np.empty_like(block)
        self.gain_db = float(self.kernel(block, out, *self._arguments))
        return out
