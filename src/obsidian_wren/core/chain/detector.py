"""What the dynamics stages share: a level detector and a gain that glides, both on a grid of
control points.

The detector is a moving maximum of the rectified side-chain over 6 ms: it reads a sine of 85 Hz or
more at its peak without ripple, rises at once, and lets go 6 ms after the sound did. On a sine its
level is the AES17 level. Levels and gains are computed every eighth of a millisecond or so (a
*control point*); in between the gain moves in a straight line. Control points lie on a grid of
samples counted from the start of the sound, so the size of the blocks makes no difference.
"""

from __future__ import annotations

import math

import numpy as np

from obsidian_wren.core.chain.filters import highpass_sections
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.kernel import kernel

_CONTROL_HZ = 6000.0
WINDOW_S = 0.006
_QUIETEST = 1e-10

# Samples in a step at 48 kHz.
_USUAL_STEP = 8

# Places in a stage's memory.
_PHASE, _PEAK, _AT, _GAIN, _SLOPE, OWN = 0, 1, 2, 3, 4, 5


def control_step(rate_hz: float) -> int:
    """Samples from one control point to the next."""
    return max(1, round(rate_hz / _CONTROL_HZ))


def reach(time_s: float, *, rate_hz: float) -> float:
    """The share of the way that a one-pole goes in one control step, for a time to 63 %."""
    return 1.0 - math.exp(-control_step(rate_hz) / (max(time_s, 1e-6) * rate_hz))


def attack_reach(time_s: float, *, rate_hz: float) -> float:
    """:func:`reach` for an attack: the control step that the detector takes to notice, and half of
    the one on which the gain glides, are part of the stated time.

    A share between 0 and 1.
    """
    return reach(max(time_s - 1.5 * control_step(rate_hz) / rate_hz, 0.1 * time_s), rate_hz=rate_hz)


def detector_ring(*, rate_hz: float, window_s: float = WINDOW_S) -> Samples:
    """The peaks of the last control steps, all zero. ``(steps,)``, as many as fill the window."""
    return np.zeros(max(1, math.ceil(window_s * rate_hz / control_step(rate_hz))))


def stage_memory(own: int) -> Samples:
    """A detector's and a gliding gain's memory with room for ``own`` numbers of the stage.

    ``(n,)``.
    """
    memory = np.zeros(OWN + own)
    memory[_GAIN] = 1.0
    return memory


def sidechain_sections(frequency_hz: float, *, rate_hz: float) -> Samples:
    """A second-order high-pass ``(1, 6)`` before the detector; none at 20 Hz, the lowest that
    can be set."""
    return (
        highpass_sections(frequency_hz, order=2, rate_hz=rate_hz)
        if frequency_hz > 20.0
        else np.zeros((0, 6))
    )


@kernel()
def control_points(count: int, step: int, memory: Samples) -> int:
    """How many control points the coming ``count`` samples hold.

    ``memory`` is that of :func:`stage_memory`, ``(n,)``.
    """
    return (int(memory[0]) + count) // step


@kernel(fastmath={"nnan", "nsz"})
def _highest(values: Samples) -> float:
    highest = _QUIETEST
    for k in range(len(values)):
        highest = max(highest, values[k])
    return highest


# Without a NaN the highest of a step is the same in any order, so many are looked at at once.
@kernel("void(f8[::1], i8, f8[::1], f8[::1], f8[::1])", fastmath={"nnan", "nsz"})
def detect(side: Samples, step: int, ring: Samples, memory: Samples, levels_db: Samples) -> None:
    """Levels in dBFS at the control points of a block of side-chain.

    ``side`` is ``(n,)``, ``levels_db`` ``(points,)``, written in place.
    """
    phase, peak, at, done, i = int(memory[0]), memory[1], int(memory[2]), 0, 0
    top = _highest(ring)
    # The highest of a window stays for many steps, and a logarithm is dear.
    converted, level = top, 20.0 * math.log10(top)
    while i < len(side):
        if phase == 0 and step == _USUAL_STEP and i + _USUAL_STEP <= len(side):
            # A known count is unrolled.
            for k in range(_USUAL_STEP):
                peak = max(peak, abs(side[i + k]))
            phase = _USUAL_STEP
            i += _USUAL_STEP
        else:
            end = min(i + step - phase, len(side))
            for k in range(i, end):
                peak = max(peak, abs(side[k]))
            phase += end - i
            i = end
        if phase == step:
            gone = ring[at]
            ring[at] = peak
            at = at + 1 if at + 1 < len(ring) else 0
            if peak >= top:
                top = peak
            elif gone >= top:
                top = _highest(ring)
            if top != converted:
                converted, level = top, 20.0 * math.log10(top)
            levels_db[done] = level
            done, phase, peak = done + 1, 0, 0.0
    memory[1], memory[2] = peak, at


@kernel()
def glide(step: int, controls: Samples, memory: Samples, gains: Samples) -> None:
    """The gain of every sample of a block: straight lines to the gains ``controls`` of its control
    points, each reached a step later.

    ``controls`` is ``(points,)``, ``gains`` ``(n,)``, written in place, both ratios.
    """
    phase, gain, slope, done, i = int(memory[0]), memory[3], memory[4], 0, 0
    while i < len(gains):
        # From the control point on, not from sample to sample: several are worked out at a time.
        if phase == 0 and step == _USUAL_STEP and i + _USUAL_STEP <= len(gains):
            for k in range(_USUAL_STEP):
                gains[i + k] = gain + slope * (k + 1)
            phase = _USUAL_STEP
            i += _USUAL_STEP
        else:
            end = min(i + step - phase, len(gains))
            for k in range(end - i):
                gains[i + k] = gain + slope * (phase + k + 1)
            phase += end - i
            i = end
        if phase == step:
            gain += slope * step
            slope = (controls[done] - gain) / step
            done, phase = done + 1, 0
    memory[0], memory[3], memory[4] = phase, gain, slope


@kernel()
def amplitude(gain_db: float) -> float:
    """The amplitude of a gain in dB."""
    return math.exp(gain_db * 0.11512925464970229)
