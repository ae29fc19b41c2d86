"""The leveller: a slow gain that rides the voice towards a target, and waits while nobody speaks.

The level is the mean square over 0.8 s of speech; pauses, found by a guard threshold on the mean
square over 30 ms, are left out of it. The gain moves at a steady speed in dB per second, at most by
the range to either side, and stands still in pauses: the room is never lifted for being quiet.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from obsidian_wren.core.chain.detector import (
    amplitude,
    control_points,
    control_step,
    glide,
    reach,
    stage_memory,
)
from obsidian_wren.core.chain.dynamics import Dynamics
from obsidian_wren.core.chain.stage import Numbers
from obsidian_wren.core.decibels import AES17_OFFSET_DB, Samples
from obsidian_wren.core.kernel import kernel

_FAST_S, _SLOW_S = 0.03, 0.8
_OFFSET_DB = AES17_OFFSET_DB


@kernel("f8(f8[::1], f8[::1], f8[::1], i8, f8[::1])")
def ride(block: Samples, out: Samples, memory: Samples, step: int, settings: Samples) -> float:
    """Level ``block`` into ``out``, both ``(n,)``, with the arrays of the stage; gives the gain in
    dB. Source: practice: a plain mean of the level of speech, the gain moving at most so fast."""
    count = len(block)
    controls = np.empty(control_points(count, step, memory))
    target, span, most_move, guard, fast_reach, slow_reach = settings
    # memory: gain in dB, fast power, power of speech, how much of the slow window it has seen, sum
    # of the running step
    gain, fast, slow, seen, total = memory[5], memory[6], memory[7], memory[8], memory[9]
    phase, done = int(memory[0]), 0
    for i in range(count):
        total += block[i] * block[i]
        phase += 1
        if phase < step:
            continue
        power, total, phase = total / step, 0.0, 0
        fast += (power - fast) * fast_reach
        if 10.0 * math.log10(max(fast, 1e-20)) + _OFFSET_DB > guard:
            # A plain mean at first, so that the beginning does not count for more than the rest.
            seen = min(seen + 1.0, 1.0 / slow_reach)
            slow += (power - slow) / seen
            wanted = target - 10.0 * math.log10(max(slow, 1e-20)) - _OFFSET_DB
            wanted = max(-span, min(span, wanted))
            gain += max(-most_move, min(most_move, wanted - gain))
        controls[done] = amplitude(gain)
        done += 1
    memory[5], memory[6], memory[7], memory[8], memory[9] = (
        gain,
        (fast if fast > 1e-25 else 0.0),
        slow,
        seen,
        total,
    )
    glide(step, controls, memory, out)
    for i in range(count):
        out[i] *= block[i]
    return float(gain)


@dataclass(frozen=True)
class LevellerSpec(Numbers):
    """Target in dBFS (AES17, over speech), range in dB to either side, speed in dB/s, and the
    level under which it waits."""

    kind: ClassVar[str] = "leveller"
    target_dbfs: float
    range_db: float
    speed_db_per_s: float
    guard_dbfs: float
    on: bool = True

    def build(self, *, rate_hz: float) -> Dynamics:
        """The stage at a rate."""
        step = control_step(rate_hz)
        times = reach(_FAST_S, rate_hz=rate_hz), reach(_SLOW_S, rate_hz=rate_hz)
        settings = np.array(
            [
                self.target_dbfs,
                self.range_db,
                self.speed_db_per_s * step / rate_hz,
                self.guard_dbfs,
                *times,
            ]
        )
        return Dynamics(self.kind, ride, state=(stage_memory(5),), fixed=(step, settings))
