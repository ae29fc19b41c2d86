"""Plosives: a low shelf that drops only while a burst of breath lasts.

The shelf is two first-order sections ``x − (1 − k) · low`` in series, each at half the depth in dB; their filters never change, so
nothing rings when the depth moves. The depth brings the low band down to the threshold.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import ClassVar

import numpy as np
from numba import njit

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
from obsidian_wren.core.chain.stage import Numbers
from obsidian_wren.core.decibels import Samples

_ATTACK_S = 0.001
# Half a period of 40 Hz, so that the depth does not follow the wave itself.
WINDOW_S = 0.0125


@njit(cache=True, nogil=True)
def low_band(block: Samples, pole: float, memory: Samples, low: Samples) -> None:
    """Two first-order low-passes in series: the band in which breath is looked for. ``memory`` is ``(2,)``."""
    first, second = memory[0], memory[1]
    for i in range(len(block)):
        first += (block[i] - first) * pole
        second += (first - second) * pole
        low[i] = second
    memory[0], memory[1] = (first if abs(first) > 1e-25 else 0.0), (second if abs(second) > 1e-25 else 0.0)


@njit(cache=True, nogil=True)
def _deplode(
    block: Samples, out: Samples, pole: float, bands: Samples, step: int, ring: Samples, memory: Samples, settings: Samples
) -> float:
    count = len(block)
    points = control_points(count, step, memory)
    controls, low = np.empty(points), np.empty(count)
    low_band(block, pole, bands[:2], low)
    detect(low, step, ring, memory, controls)
    threshold, span, attack, release = settings
    gain = memory[OWN]
    lowest = gain
    for j in range(points):
        target = max(-span, min(0.0, threshold - controls[j]))
        gain += (target - gain) * (attack if target < gain else release)
        lowest = min(lowest, gain)
        controls[j] = amplitude(0.5 * gain)
    memory[OWN] = gain
    glide(step, controls, memory, out)
    first, second = bands[2], bands[3]
    for i in range(count):
        away = 1.0 - out[i]
        first += (block[i] - first) * pole
        once = block[i] - away * first
        second += (once - second) * pole
        out[i] = once - away * second
    bands[2], bands[3] = (first if abs(first) > 1e-25 else 0.0), (second if abs(second) > 1e-25 else 0.0)
    return float(lowest)


def low_pole(frequency_hz: float, *, rate_hz: float) -> float:
    """The coefficient of the first-order low-passes."""
    return 1.0 - math.exp(-2.0 * math.pi * frequency_hz / rate_hz)


class Deplosive:
    """Runs a :class:`DeplosiveSpec` at a rate."""

    kind = "deplosive"
    delay_samples = 0

    def __init__(self, spec: DeplosiveSpec, *, rate_hz: float) -> None:
        self.gain_db = 0.0
        self._step = control_step(rate_hz)
        self._ring = detector_ring(rate_hz=rate_hz, window_s=WINDOW_S)
        self._pole = low_pole(spec.frequency_hz, rate_hz=rate_hz)
        self._bands = np.zeros(4)
        self._memory = stage_memory(1)
        times = reach(_ATTACK_S, rate_hz=rate_hz), reach(spec.release_ms / 1000.0, rate_hz=rate_hz)
        self._settings = np.array([spec.threshold_dbfs, spec.range_db, *times])

    @property
    def state(self) -> tuple[Samples, ...]:
        """Detector, low bands and depth."""
        return self._ring, self._bands, self._memory

    def process(self, block: Samples) -> Samples:
        """Hold plosives in ``(n,)`` samples."""
        out = np.empty_like(block)
        self.gain_db = float(_deplode(block, out, self._pole, self._bands, self._step, self._ring, self._memory, self._settings))
        return out


@dataclass(frozen=True)
class DeplosiveSpec(Numbers):
    """Threshold in dBFS of the low band's own level, its corner in Hz, most reduction in dB, release in ms to 63 %."""

    kind: ClassVar[str] = "deplosive"
    threshold_dbfs: float
    frequency_hz: float
    range_db: float
    release_ms: float
    on: bool = True

    def build(self, *, rate_hz: float) -> Deplosive:
        """The stage at a rate."""
        return Deplosive(self, rate_hz=rate_hz)
