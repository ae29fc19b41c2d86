"""The de-esser: a bell whose depth follows how far the sibilance in its band stands over a
threshold.

The band is a cookbook band-pass of 0 dB at its centre; taking a share of it away from the sound,
``x − (1 − g) · band``, is a cut of exactly ``g`` at the centre, with no phase shift while it rests.
The filter itself never changes, only the share does.

Source: Bristow-Johnson, "Cookbook formulae for audio EQ biquad filter coefficients"; practice
for holding a band by what stands over its threshold.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from obsidian_wren.core.chain.detector import (
    OWN,
    amplitude,
    control_points,
    control_step,
    detect,
    detector_ring,
    glide,
    reach,
    stage_memory,
)
from obsidian_wren.core.chain.dynamics import Dynamics
from obsidian_wren.core.chain.filters import run_sections
from obsidian_wren.core.chain.stage import Numbers
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.kernel import kernel

_ATTACK_S, _RELEASE_S = 0.001, 0.025
# Hissing is high: two milliseconds hold many of its periods, and let go between sounds.
_WINDOW_S = 0.002


def band_section(frequency_hz: float, q: float, *, rate_hz: float) -> Samples:
    """Cookbook band-pass of constant 0 dB peak gain ``(1, 6)``."""
    w = 2.0 * math.pi * min(frequency_hz, 0.45 * rate_hz) / rate_hz
    cos, alpha = math.cos(w), math.sin(w) / (2.0 * q)
    scale = 1.0 + alpha
    return np.array(
        [[alpha / scale, 0.0, -alpha / scale, 1.0, -2.0 * cos / scale, (1.0 - alpha) / scale]]
    )


@kernel("f8(f8[::1], f8[::1], f8[::1], f8[:, ::1], f8[::1], f8[:, ::1], i8, f8[::1])")
def deess(
    block: Samples,
    out: Samples,
    ring: Samples,
    filters: Samples,
    memory: Samples,
    sections: Samples,
    step: int,
    settings: Samples,
) -> float:
    """Soften hissing of ``block`` into ``out``, both ``(n,)``, with the arrays of the stage; gives
    the lowest gain of the band in dB."""
    count = len(block)
    points = control_points(count, step, memory)
    controls, band = np.empty(points), np.empty(count)
    run_sections(sections, filters, block, band)
    detect(band, step, ring, memory, controls)
    threshold, slope, span, attack, release = settings
    gain = memory[OWN]
    lowest = gain
    for j in range(points):
        target = max(-span, min(0.0, -slope * (controls[j] - threshold)))
        gain += (target - gain) * (attack if target < gain else release)
        lowest = min(lowest, gain)
        controls[j] = amplitude(gain)
    memory[OWN] = gain
    glide(step, controls, memory, out)
    for i in range(count):
        out[i] = block[i] - (1.0 - out[i]) * band[i]
    return float(lowest)


@dataclass(frozen=True)
class DeesserSpec(Numbers):
    """Centre in Hz and Q of the band, threshold in dBFS of the band's own level, ratio over it,
    most reduction in dB."""

    kind: ClassVar[str] = "deesser"
    frequency_hz: float
    threshold_dbfs: float
    ratio: float
    range_db: float
    q: float
    on: bool = True

    def build(self, *, rate_hz: float) -> Dynamics:
        """The stage at a rate."""
        times = reach(_ATTACK_S, rate_hz=rate_hz), reach(_RELEASE_S, rate_hz=rate_hz)
        settings = np.array([self.threshold_dbfs, 1.0 - 1.0 / self.ratio, self.range_db, *times])
        section = band_section(self.frequency_hz, self.q, rate_hz=rate_hz)
        state = (
            detector_ring(rate_hz=rate_hz, window_s=_WINDOW_S),
            np.zeros((1, 2)),
            stage_memory(1),
        )
        return Dynamics(
            self.kind, deess, state=state, fixed=(section, control_step(rate_hz), settings)
        )
