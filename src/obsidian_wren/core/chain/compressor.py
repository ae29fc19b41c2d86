"""The compressor: soft knee, attack, release, make-up gain and a side-chain high-pass.

Giannoulis, Massberg & Reiss (2012), "Digital dynamic range compressor design": the static curve
with a quadratic knee (their equation 4), and smoothing of the gain in the logarithmic domain,
branching between attack and release (their equation 16). Times are to 63 % of a step in dB; release
begins 6 ms after the sound fell, when the detector has let go.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from obsidian_wren.core.chain.detector import (
    OWN,
    amplitude,
    attack_reach,
    control_points,
    control_step,
    detect,
    detector_ring,
    glide,
    reach,
    sidechain_sections,
    stage_memory,
)
from obsidian_wren.core.chain.dynamics import Dynamics
from obsidian_wren.core.chain.filters import run_sections
from obsidian_wren.core.chain.stage import Numbers
from obsidian_wren.core.decibels import Samples, amplitude_from_db
from obsidian_wren.core.kernel import kernel


@kernel("f8(f8, f8, f8, f8)")
def curve_db(level_db: float, threshold_db: float, slope: float, knee_db: float) -> float:
    """Gain in dB at a steady level; ``slope`` is 1 − 1 / ratio."""
    over = level_db - threshold_db
    if 2.0 * over <= -knee_db:
        return 0.0
    if 2.0 * over < knee_db:
        return -slope * (over + knee_db / 2.0) ** 2 / (2.0 * knee_db)
    return -slope * over


@kernel("f8(f8[::1], f8[::1], f8[::1], f8[:, ::1], f8[::1], f8[:, ::1], i8, f8[::1])")
def compress(
    block: Samples,
    out: Samples,
    ring: Samples,
    filters: Samples,
    memory: Samples,
    sections: Samples,
    step: int,
    settings: Samples,
) -> float:
    """Compress ``block`` into ``out``, both ``(n,)``, with the arrays of the stage; gives the
    lowest gain in dB, make-up left out."""
    count = len(block)
    points = control_points(count, step, memory)
    controls = np.empty(points)
    if len(sections):
        side = np.empty(count)
        run_sections(sections, filters, block, side)
        detect(side, step, ring, memory, controls)
    else:
        detect(block, step, ring, memory, controls)
    threshold, slope, knee, attack, release, makeup = settings
    gain = memory[OWN]
    lowest = gain
    for j in range(points):
        target = curve_db(controls[j], threshold, slope, knee)
        gain += (target - gain) * (attack if target < gain else release)
        lowest = min(lowest, gain)
        controls[j] = amplitude(gain + makeup)
    memory[OWN] = gain
    glide(step, controls, memory, out)
    for i in range(count):
        out[i] *= block[i]
    return float(lowest)


@dataclass(frozen=True)
class CompressorSpec(Numbers):
    """Threshold in dBFS of the detector, ratio, knee in dB, times to 63 %, make-up in dB,
    side-chain high-pass in Hz (20: none)."""

    kind: ClassVar[str] = "compressor"
    threshold_dbfs: float
    ratio: float
    knee_db: float
    attack_ms: float
    release_ms: float
    makeup_db: float
    sidechain_hz: float
    on: bool = True

    def build(self, *, rate_hz: float) -> Dynamics:
        """The stage at a rate."""
        memory = stage_memory(1)
        memory[3] = amplitude_from_db(self.makeup_db)
        times = (
            attack_reach(self.attack_ms / 1000.0, rate_hz=rate_hz),
            reach(self.release_ms / 1000.0, rate_hz=rate_hz),
        )
        settings = np.array(
            [self.threshold_dbfs, 1.0 - 1.0 / self.ratio, self.knee_db, *times, self.makeup_db]
        )
        sections = sidechain_sections(self.sidechain_hz, rate_hz=rate_hz)
        state = detector_ring(rate_hz=rate_hz), np.zeros((1, 2)), memory
        return Dynamics(
            self.kind, compress, state=state, fixed=(sections, control_step(rate_hz), settings)
        )

    def curve_db(self, level_dbfs: float) -> float:
        """Gain at a steady level, make-up left out, dB."""
        return (
            math.nan
            if not math.isfinite(level_dbfs)
            else curve_db(level_dbfs, self.threshold_dbfs, 1.0 - 1.0 / self.ratio, self.knee_db)
        )
