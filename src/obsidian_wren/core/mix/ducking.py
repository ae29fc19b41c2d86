"""Ducking: what plays under a voice drops while the voice speaks.

The level of the voice is read as the dynamics stages read theirs. At the threshold and over it the gain goes down by the depth; once
the level has stayed under the closing threshold for the hold time it comes back. Attack and release are the times to 63 % of the way
in dB.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit

from obsidian_wren.core.chain.detector import amplitude, control_points, control_step, detect, detector_ring, glide, reach, stage_memory
from obsidian_wren.core.decibels import Samples

_HYSTERESIS_DB = 6.0


@dataclass(frozen=True)
class Ducking:
    """Depth in dB, threshold in dBFS of the voice's detector (AES17), times in ms."""

    depth_db: float
    threshold_dbfs: float
    attack_ms: float
    hold_ms: float
    release_ms: float


@njit(cache=True, nogil=True)
def _duck_gains(side: Samples, out: Samples, ring: Samples, memory: Samples, step: int, settings: Samples) -> float:
    threshold, closing, depth, attack, hold, release = settings
    controls = np.empty(control_points(len(side), step, memory))
    detect(side, step, ring, memory, controls)
    speaking, held, gain = memory[5] > 0.5, memory[6], memory[7]
    for j in range(len(controls)):
        level = controls[j]
        if level >= threshold:
            speaking, held = True, 0.0
        elif speaking and level < closing:
            held += 1.0
            speaking = held <= hold
        elif speaking:
            held = 0.0
        target = -depth if speaking else 0.0
        gain += (target - gain) * (attack if target < gain else release)
        controls[j] = amplitude(gain)
    memory[5], memory[6], memory[7] = (1.0 if speaking else 0.0), held, gain
    glide(step, controls, memory, out)
    return float(gain)


class Ducker:
    """Gives the gain of every sample from the voice beside it; the state runs on from block to block."""

    def __init__(self, ducking: Ducking, *, rate_hz: float) -> None:
        self.gain_db = 0.0
        self._step = control_step(rate_hz)
        per_ms = rate_hz / self._step / 1000.0
        self._settings = np.array(
            [
                ducking.threshold_dbfs, ducking.threshold_dbfs - _HYSTERESIS_DB, ducking.depth_db,
                reach(ducking.attack_ms / 1000.0, rate_hz=rate_hz), ducking.hold_ms * per_ms, reach(ducking.release_ms / 1000.0, rate_hz=rate_hz),
            ]
        )  # fmt: skip
        self._ring = detector_ring(rate_hz=rate_hz)
        self._memory = stage_memory(3)

    def gains(self, voice: Samples) -> Samples:
        """The factors ``(n,)`` for what is ducked while the ``(n,)`` voice sounds."""
        out = np.empty(len(voice))
        self.gain_db = float(_duck_gains(np.ascontiguousarray(voice), out, self._ring, self._memory, self._step, self._settings))
        return out
