"""Plosives: what lies under a corner drops only while a burst of breath lasts.

The sound is faded towards itself behind a high-pass; the filters never change, so nothing rings
when the depth moves. The level of the low band tells breath. A decibel over the threshold
takes four: a burst goes under what the voice has there, and so little of a vowel passes the
threshold that it loses nothing.

Source: practice: breath lies under 150 Hz and lasts under a quarter of a second.
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
from obsidian_wren.core.chain.filters import highpass_sections, run_sections
from obsidian_wren.core.chain.stage import Numbers
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.kernel import kernel

_ATTACK_S = 0.001
_PER_DB = 4.0
_ORDER = 4
# Half a period of 40 Hz, so that the depth does not follow the wave itself.
WINDOW_S = 0.0125


@kernel("void(f8[::1], f8, f8[::1], f8[::1])")
def low_band(block: Samples, pole: float, memory: Samples, low: Samples) -> None:
    """Two first-order low-passes in series: the band in which breath is looked for.

    ``memory`` is ``(2,)``. ``block`` and ``low`` are ``(n,)``; ``pole`` as of :func:`low_pole`.
    """
    first, second = memory[0], memory[1]
    for i in range(len(block)):
        first += (block[i] - first) * pole
        second += (first - second) * pole
        low[i] = second
    memory[0], memory[1] = (
        (first if abs(first) > 1e-25 else 0.0),
        (second if abs(second) > 1e-25 else 0.0),
    )


@kernel("f8(f8[::1], f8[::1], f8[::1], f8[::1], f8[:, ::1], f8[::1], f8[:, ::1], f8, i8, f8[::1])")
def deplode(
    block: Samples,
    out: Samples,
    ring: Samples,
    bands: Samples,
    filters: Samples,
    memory: Samples,
    sections: Samples,
    pole: float,
    step: int,
    settings: Samples,
) -> float:
    """Soften breath in ``block`` into ``out``, both ``(n,)``, with the arrays of the stage;
    ``pole`` is that of :func:`low_pole`. Gives the lowest gain of the low band in dB."""
    count = len(block)
    points = control_points(count, step, memory)
    controls, low = np.empty(points), np.empty(count)
    low_band(block, pole, bands, low)
    detect(low, step, ring, memory, controls)
    threshold, span, attack, release = settings
    gain = memory[OWN]
    lowest = gain
    for j in range(points):
        target = max(-span, min(0.0, _PER_DB * (threshold - controls[j])))
        gain += (target - gain) * (attack if target < gain else release)
        lowest = min(lowest, gain)
        controls[j] = amplitude(gain)
    memory[OWN] = gain
    glide(step, controls, memory, out)
    high = low
    run_sections(sections, filters, block, high)
    for i in range(count):
        out[i] = high[i] + out[i] * (block[i] - high[i])
    return float(lowest)


def low_pole(frequency_hz: float, *, rate_hz: float) -> float:
    """The coefficient of the first-order low-passes.

    Between 0 and 1, a ratio from sample to sample.
    """
    return 1.0 - math.exp(-2.0 * math.pi * frequency_hz / rate_hz)


@dataclass(frozen=True)
class DeplosiveSpec(Numbers):
    """Threshold in dBFS of the low band's own level, its corner in Hz, most reduction in dB,
    release in ms to 63 %."""

    kind: ClassVar[str] = "deplosive"
    threshold_dbfs: float
    frequency_hz: float
    range_db: float
    release_ms: float
    on: bool = True

    def build(self, *, rate_hz: float) -> Dynamics:
        """The stage at a rate."""
        times = reach(_ATTACK_S, rate_hz=rate_hz), reach(self.release_ms / 1000.0, rate_hz=rate_hz)
        settings = np.array([self.threshold_dbfs, self.range_db, *times])
        sections = highpass_sections(self.frequency_hz, order=_ORDER, rate_hz=rate_hz)
        state = (
            detector_ring(rate_hz=rate_hz, window_s=WINDOW_S),
            np.zeros(2),
            np.zeros((len(sections), 2)),
            stage_memory(1),
        )
        pole = low_pole(self.frequency_hz, rate_hz=rate_hz)
        return Dynamics(
            self.kind,
            deplode,
            state=state,
            fixed=(sections, pole, control_step(rate_hz), settings),
        )
