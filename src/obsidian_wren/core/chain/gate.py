"""Gate and downward expander in one stage.

Over the threshold it is open, and where noise reduction before it finds speech likely, however
soft. Once neither has been so for the hold time, the level under the closing threshold (the
threshold less the hysteresis), the gain falls to ``(ratio − 1) · (level − threshold)`` dB, at most
by the range: a ratio of 100 is a gate, less is an expander. Attack is the time to 63 % of the way
in amplitude, release to 63 % of the way in dB. With look-ahead the sound is delayed so that the
gate opens before the word does.

Source: Giannoulis, Massberg and Reiss (2012) for the detector and the times; Sohn, Kim and Sung
(1999), "A statistical model-based voice activity detection", for the likelihood ratio; practice for
hysteresis and hold.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import ClassVar, Self

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
    sidechain_sections,
    stage_memory,
)
from obsidian_wren.core.chain.dynamics import Dynamics
from obsidian_wren.core.chain.filters import run_sections
from obsidian_wren.core.chain.stage import Numbers
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.kernel import kernel

# A gate starts open: a first word is never cut.
_OPEN, _HELD, _GAIN_DB = OWN, OWN + 1, OWN + 2
UNKNOWN = np.empty(0)
# So near to where it goes it has arrived.
_THERE_DB = 1e-9


@kernel("void(f8[::1], f8[:], f8[::1], f8[::1])")
def gate_gains_db(
    levels_db: Samples, likelihoods_db: Samples, settings: Samples, memory: Samples
) -> None:
    """Turn levels at control points into gains in dB, in place.

    ``levels_db`` is ``(points,)``; ``likelihoods_db``, the likelihood ratio of speech there, is as
    long, or empty where it is unknown; ``settings`` is that of :meth:`GateSpec.control_settings`.
    """
    threshold, closing, ratio, span, attack, hold, release, likely = settings
    is_open, held, gain = memory[5] > 0.5, memory[6], memory[7]
    for j in range(len(levels_db)):
        level = levels_db[j]
        if level >= threshold or (len(likelihoods_db) > 0 and likelihoods_db[j] >= likely):
            is_open, held = True, 0.0
        elif is_open and level < closing:
            held += 1.0
            if held > hold:
                is_open = False
        elif is_open:
            held = 0.0
        target = 0.0
        if not is_open:
            target = max(-span, min(0.0, (ratio - 1.0) * (level - threshold)))
        if gain < target <= gain + _THERE_DB:
            gain = target
        elif target > gain:
            now = np.exp(gain / 8.685889638065035)
            now += (np.exp(target / 8.685889638065035) - now) * attack
            gain = 8.685889638065035 * np.log(now)
        else:
            gain += (target - gain) * release
        levels_db[j] = gain
    memory[5], memory[6], memory[7] = (1.0 if is_open else 0.0), held, gain


@kernel(
    "f8(f8[::1], f8[::1], f8[::1], f8[::1], f8[:, ::1], f8[::1], f8[::1], f8[:, ::1], i8, f8[::1])"
)
def gate_block(
    block: Samples,
    out: Samples,
    likelihood_db: Samples,
    ring: Samples,
    filters: Samples,
    past: Samples,
    memory: Samples,
    sections: Samples,
    step: int,
    settings: Samples,
) -> float:
    """Gate ``block`` into ``out``, both ``(n,)``, with the arrays of the stage; the likelihood
    ratio of speech is ``(n,)`` in dB, or empty. Gives the lowest gain in dB."""
    count, delay = len(block), len(past)
    points = control_points(count, step, memory)
    controls = np.empty(points)
    first = step - 1 - int(memory[0])
    likelihoods = likelihood_db[first::step] if len(likelihood_db) else likelihood_db
    if len(sections):
        side = np.empty(count)
        run_sections(sections, filters, block, side)
        detect(side, step, ring, memory, controls)
    else:
        detect(block, step, ring, memory, controls)
    lowest = memory[7]
    gate_gains_db(controls, likelihoods, settings, memory)
    for j in range(points):
        lowest = min(lowest, controls[j])
        controls[j] = amplitude(controls[j])
    glide(step, controls, memory, out)
    if delay == 0:
        for i in range(count):
            out[i] *= block[i]
        return float(lowest)
    for i in range(min(count, delay)):
        out[i] *= past[i]
    for i in range(delay, count):
        out[i] *= block[i - delay]
    if count >= delay:
        past[:] = block[count - delay :]
    else:
        past[: delay - count] = past[count:].copy()
        past[delay - count :] = block
    return float(lowest)


class Gate(Dynamics):
    """A gate that also opens by what it :meth:`hear` of speech."""

    heard = UNKNOWN

    def hear(self, likelihood_db: Samples) -> None:
        """The likelihood ratio of speech in the samples that come next, ``(n,)``, dB."""
        self.heard = likelihood_db

    def take_heard(self, count: int) -> Samples:
        """What it heard of the ``count`` samples that come now, ``(count,)``, dB, or nothing."""
        heard, self.heard = self.heard, UNKNOWN
        return heard if len(heard) == count else UNKNOWN

    def process(self, block: Samples) -> Samples:
        """Process ``(n,)`` samples; the output lags by ``delay_samples``."""
        out = np.empty_like(block)
        known = self.take_heard(len(block))
        self.gain_db = float(gate_block(block, out, known, *self._arguments))
        return out


@dataclass(frozen=True)
class GateSpec(Numbers):
    """Threshold in dBFS of the detector, hysteresis and range in dB, ratio (100: a gate), times
    in ms, side-chain high-pass in Hz, likelihood ratio of speech that opens in dB (0: by level
    alone)."""

    kind: ClassVar[str] = "gate"
    threshold_dbfs: float
    hysteresis_db: float
    ratio: float
    range_db: float
    attack_ms: float
    hold_ms: float
    release_ms: float
    look_ahead_ms: float
    sidechain_hz: float
    on: bool = True
    likelihood_db: float = 0.0

    @classmethod
    def from_settings(cls, settings: Mapping[str, object], *, on: bool) -> Self:
        """From one number per field; what an older version kept goes by level alone. Raises
        BadSetting."""
        return super().from_settings({"likelihood_db": 0.0} | dict(settings), on=on)

    def build(self, *, rate_hz: float) -> Gate:
        """The stage at a rate."""
        delay = round(self.look_ahead_ms * rate_hz / 1000.0)
        memory = stage_memory(3)
        memory[_OPEN] = 1.0
        state = detector_ring(rate_hz=rate_hz), np.zeros((1, 2)), np.zeros(delay), memory
        sections, settings = (
            sidechain_sections(self.sidechain_hz, rate_hz=rate_hz),
            self.control_settings(rate_hz=rate_hz),
        )
        return Gate(
            self.kind,
            gate_block,
            state=state,
            fixed=(sections, control_step(rate_hz), settings),
            delay_samples=delay,
        )

    def control_settings(self, *, rate_hz: float) -> Samples:
        """The settings as :func:`gate_gains_db` takes them, times in control steps. ``(n,)``."""
        per_ms = rate_hz / control_step(rate_hz) / 1000.0
        ratio = 1e6 if self.ratio >= 100.0 else self.ratio
        return np.array(
            [
                self.threshold_dbfs,
                self.threshold_dbfs - self.hysteresis_db,
                ratio,
                self.range_db,
                reach(self.attack_ms / 1000.0, rate_hz=rate_hz),
                self.hold_ms * per_ms,
                reach(self.release_ms / 1000.0, rate_hz=rate_hz),
                self.likelihood_db if self.likelihood_db > 0.0 else np.inf,
            ]
        )
