"""Second-order sections in the public "audio EQ cookbook" forms, their response, and the kernel
that runs them.

Sections are rows ``b0 b1 b2 1 a1 a2``, as SciPy's ``sosfilt`` takes them.

Source: Bristow-Johnson, "Cookbook formulae for audio EQ biquad filter coefficients";
Butterworth (1930) by the bilinear transform.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.kernel import kernel

Shape = Literal["peak", "low_shelf", "high_shelf"]


@dataclass(frozen=True)
class EqualizerBand:
    """One bell or shelf. Shelves take Q as in the cookbook (S follows from it)."""

    shape: Shape
    frequency_hz: float
    gain_db: float
    q: float


def band_section(band: EqualizerBand, *, rate_hz: float) -> Samples:
    """Cookbook section ``(6,)`` of a bell or a shelf; frequencies near Nyquist are held at 0.49
    of the rate."""
    w = 2.0 * math.pi * min(band.frequency_hz, 0.49 * rate_hz) / rate_hz
    cos, alpha, a = math.cos(w), math.sin(w) / (2.0 * band.q), 10.0 ** (band.gain_db / 40.0)
    if band.shape == "peak":
        b = (1.0 + alpha * a, -2.0 * cos, 1.0 - alpha * a)
        d = (1.0 + alpha / a, -2.0 * cos, 1.0 - alpha / a)
    else:
        sign = 1.0 if band.shape == "low_shelf" else -1.0
        root = 2.0 * math.sqrt(a) * alpha
        up, down = a + 1.0, (a - 1.0) * sign
        b = (
            a * (up - down * cos + root),
            sign * 2.0 * a * ((a - 1.0) - sign * up * cos),
            a * (up - down * cos - root),
        )
        d = (
            up + down * cos + root,
            -sign * 2.0 * ((a - 1.0) + sign * up * cos),
            up + down * cos - root,
        )
    return np.array([b[0] / d[0], b[1] / d[0], b[2] / d[0], 1.0, d[1] / d[0], d[2] / d[0]])


def highpass_sections(frequency_hz: float, *, order: int, rate_hz: float) -> Samples:
    """Butterworth high-pass of order 1 to 4 as sections ``(k, 6)``: cookbook biquads with
    Butterworth Qs, 6 dB/oct an order."""
    return _butterworth(frequency_hz, order, rate_hz, sign=1.0)


def lowpass_sections(frequency_hz: float, *, order: int, rate_hz: float) -> Samples:
    """Butterworth low-pass of order 1 to 4 as sections ``(k, 6)``, as :func:`highpass_sections`."""
    return _butterworth(frequency_hz, order, rate_hz, sign=-1.0)


def _butterworth(frequency_hz: float, order: int, rate_hz: float, *, sign: float) -> Samples:
    w = 2.0 * math.pi * min(frequency_hz, 0.49 * rate_hz) / rate_hz
    sections = []
    for pair in range(order // 2):
        q = 1.0 / (2.0 * math.cos(math.pi * (2 * pair + 1 + order % 2) / (2 * order)))
        cos, alpha = math.cos(w), math.sin(w) / (2.0 * q)
        scale, edge = 1.0 + alpha, (1.0 + sign * cos) / 2.0
        sections.append(
            [
                edge / scale,
                -sign * 2.0 * edge / scale,
                edge / scale,
                1.0,
                -2.0 * cos / scale,
                (1.0 - alpha) / scale,
            ]
        )
    if order % 2:
        k = math.tan(w / 2.0)
        through = (1.0 if sign > 0 else k) / (1.0 + k)
        sections.append([through, -sign * through, 0.0, 1.0, (k - 1.0) / (k + 1.0), 0.0])
    return np.array(sections)


def response_db(sections: Samples, frequency_hz: Samples, *, rate_hz: float) -> Samples:
    """Magnitude response in dB of ``(k, 6)`` sections in series at ``(n,)`` frequencies, on the
    digital filter itself."""
    z = np.exp(-2j * np.pi * np.asarray(frequency_hz) / rate_hz)
    powers = np.stack([np.ones_like(z), z, z * z])
    ratio = np.abs(sections[:, :3] @ powers) / np.maximum(np.abs(sections[:, 3:] @ powers), 1e-30)
    return np.asarray(20.0 * np.log10(np.maximum(ratio, 1e-15)).sum(axis=0))


# So often a long block is looked at for a tail that has died away: it would run into denormal
# numbers, which are forty times slower.
_TAIL_SAMPLES = 1024
_NOTHING = 1e-25


def filtered(sections: Samples, samples: Samples) -> Samples:
    """``(n,)`` samples through sections ``(k, 6)`` in series, from rest."""
    out = np.empty(len(samples))
    state = np.zeros((len(sections), 2))
    run_sections(sections, state, np.ascontiguousarray(samples, dtype=np.float64), out)
    return out


@kernel("void(f8[:, ::1], f8[:, ::1], f8[::1], f8[::1])")
def run_sections(sections: Samples, state: Samples, block: Samples, out: Samples) -> None:
    """Filter ``block`` into ``out`` through sections in series (transposed direct form II).

    ``state`` is ``(k, 2)`` and is carried over.
    """
    if len(sections) == 0:
        out[:] = block
    for first in range(0, len(block), _TAIL_SAMPLES):
        last = min(first + _TAIL_SAMPLES, len(block))
        _run_stretch(sections, state, block[first:last], out[first:last])
        _let_die(state)


@kernel()
def _let_die(state: Samples) -> None:
    """Nothing is left of a section's memory where its tail has died away."""
    for s in range(len(state)):
        if abs(state[s, 0]) < _NOTHING and abs(state[s, 1]) < _NOTHING:
            state[s, 0] = state[s, 1] = 0.0


@kernel()
def _run_stretch(sections: Samples, state: Samples, block: Samples, out: Samples) -> None:
    count = len(sections)
    sound = block
    # Two run side by side, the second a sample behind; more do not fit into the registers.
    s = 0
    while s + 2 <= count and len(block) >= 2:
        _two_sections(sections[s : s + 2], state[s : s + 2], sound, out)
        s, sound = s + 2, out
    while s < count:
        _one_section(sections[s], state[s], sound, out)
        s, sound = s + 1, out


@kernel()
def _numbers(section: Samples) -> tuple[float, float, float, float, float]:
    """The coefficients as the memory follows from itself alone, with what leaves written out in
    it: the next sample waits half as long."""
    # Numbers in local names stay in the processor's registers; in arrays they would not.
    b0, a1, a2 = section[0], section[4], section[5]
    return b0, section[1] - a1 * b0, section[2] - a2 * b0, a1, a2


@kernel(fastmath={"contract"})
def _one_section(section: Samples, state: Samples, block: Samples, out: Samples) -> None:
    b0, b1, b2, a1, a2 = _numbers(section)
    x_before, s_before, s = block[0], state[0], 0.0
    out[0] = b0 * x_before + s_before
    s = (b1 * x_before + state[1]) - a1 * s_before
    for i in range(1, len(block)):
        x = block[i]
        out[i] = b0 * x + s
        s, s_before = ((b1 * x + b2 * x_before) - a2 * s_before) - a1 * s, s
        x_before = x
    state[0], state[1] = s, b2 * x_before - a2 * s_before


@kernel(fastmath={"contract"})
def _two_sections(sections: Samples, state: Samples, block: Samples, out: Samples) -> None:
    b0, b1, b2, a1, a2 = _numbers(sections[0])
    d0, d1, d2, c1, c2 = _numbers(sections[1])
    x_before, s_before, t_before = block[0], state[0, 0], state[1, 0]
    y_before = b0 * x_before + s_before
    s = (b1 * x_before + state[0, 1]) - a1 * s_before
    x, last = block[1], len(block) - 1
    y = b0 * x + s
    s, s_before = ((b1 * x + b2 * x_before) - a2 * s_before) - a1 * s, s
    out[0] = d0 * y_before + t_before
    t = (d1 * y_before + state[1, 1]) - c1 * t_before
    for i in range(2, last + 1):
        x_before, x = x, block[i]
        out[i - 1] = d0 * y + t
        t, t_before = ((d1 * y + d2 * y_before) - c2 * t_before) - c1 * t, t
        y_before, y = y, b0 * x + s
        s, s_before = ((b1 * x + b2 * x_before) - a2 * s_before) - a1 * s, s
    out[last] = d0 * y + t
    t, t_before = ((d1 * y + d2 * y_before) - c2 * t_before) - c1 * t, t
    state[0, 0], state[0, 1] = s, b2 * x - a2 * s_before
    state[1, 0], state[1, 1] = t, d2 * y - c2 * t_before
