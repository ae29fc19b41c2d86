"""Ducking: what plays under a voice drops while the voice speaks.

The level of the voice is read as the dynamics stages read theirs. At the threshold and over it what
is ducked goes down; once the level has stayed under the closing threshold for the hold time it
comes back. Attack and release are the times to 63 % of the way in dB. How deep the way is, is each
source's own: what is given is the share of it.

Source: Giannoulis, Massberg and Reiss (2012) for the detector.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.chain.detector import (
    control_points,
    control_step,
    detect,
    detector_ring,
    glide,
    reach,
    stage_memory,
)
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.kernel import kernel

_HYSTERESIS_DB = 6.0
_SET = 0.5


@dataclass(frozen=True)
class Ducking:
    """Threshold in dBFS of the voice's detector (AES17), times in ms."""

    threshold_dbfs: float
    attack_ms: float
    hold_ms: float
    release_ms: float


@kernel("f8(f8[::1], f8[::1], f8[::1], f8[::1], i8, f8[::1])")
def _shares(
    side: Samples, out: Samples, ring: Samples, memory: Samples, step: int, settings: Samples
) -> float:
    threshold, closing, attack, hold, release = settings
    controls = np.empty(control_points(len(side), step, memory))
    detect(side, step, ring, memory, controls)
    speaking, held, share = memory[5] > _SET, memory[6], memory[7]
    for j in range(len(controls)):
        level = controls[j]
        if level >= threshold:
            speaking, held = True, 0.0
        elif speaking and level < closing:
            held += 1.0
            speaking = held <= hold
        elif speaking:
            held = 0.0
        target = 1.0 if speaking else 0.0
        share += (target - share) * (attack if target > share else release)
        controls[j] = share
    memory[5], memory[6], memory[7] = (1.0 if speaking else 0.0), held, share
    glide(step, controls, memory, out)
    return float(share)


class Ducker:
    """Gives for every sample how far what is ducked is down, from the voice beside it; the state
    runs on from block to block."""

    def __init__(self, ducking: Ducking, *, rate_hz: float) -> None:
        self.share = 0.0
        self._step = control_step(rate_hz)
        per_ms = rate_hz / self._step / 1000.0
        self._settings = np.array(
            [
                ducking.threshold_dbfs,
                ducking.threshold_dbfs - _HYSTERESIS_DB,
                reach(ducking.attack_ms / 1000.0, rate_hz=rate_hz),
                ducking.hold_ms * per_ms,
                reach(ducking.release_ms / 1000.0, rate_hz=rate_hz),
            ]
        )
        self._ring = detector_ring(rate_hz=rate_hz)
        self._memory = stage_memory(3)
        # A gain begins at one; a share of the way down begins at none of it.
        self._memory[3] = 0.0

    def shares(self, voice: Samples) -> Samples:
        """The share of the way down ``(n,)``, 0 to 1, while the ``(n,)`` voice sounds."""
        out = np.empty(len(voice))
        self.share = float(
            _shares(
                np.ascontiguousarray(voice),
                out,
                self._ring,
                self._memory,
                self._step,
                self._settings,
            )
        )
        return out


def ducked(shares: Samples, depth_db: float) -> Samples:
    """The factors ``(n,)`` of what drops by so many dB in all, at ``(n,)`` shares of the way."""
    return np.asarray(np.exp(shares * (-depth_db * np.log(10.0) / 20.0)))
