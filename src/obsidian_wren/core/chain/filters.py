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
from obsidian_wren.core.kernel import SHORT_SAMPLES, is_compiler_loaded, kernel

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
# A transform is quick where its length has small factors only.
_SMOOTH = 16_384


def filtered(sections: Samples, samples: Samples) -> Samples:
    """``(n,)`` samples through sections ``(k, 6)`` in series, from rest."""
    if not is_compiler_loaded() and 0 < len(samples) <= SHORT_SAMPLES:
        return filtered_by_spectrum(sections, samples)
    out = np.empty(len(samples))
    state = np.zeros((len(sections), 2))
    run_sections(sections, state, np.ascontiguousarray(samples, dtype=np.float64), out)
    return out


def filtered_by_spectrum(sections: Samples, samples: Samples) -> Samples:
    """The same as :func:`filtered`, ``(n,)`` through ``(k, 6)``, by one transform: before what
    compiles is there."""
    slowest = max(float(np.abs(np.roots(section[3:])).max()) for section in sections)
    # What rings on after the end would come round to the beginning.
    rings = math.log(_NOTHING) / math.log(min(max(slowest, 0.01), 1.0 - 1e-5))
    size = -(-(len(samples) + math.ceil(rings)) // _SMOOTH) * _SMOOTH
    z = np.exp(-2j * np.pi * np.arange(size // 2 + 1) / size)
    response = np.ones(len(z), dtype=complex)
    for b0, b1, b2, _, a1, a2 in sections:
        response *= (b0 + z * (b1 + z * b2)) / (1.0 + z * (a1 + z * a2))
    spectrum = np.fft.rfft(samples, size) * response
    return np.asarray(np.fft.irfft(spectrum, size)[: len(samples)])


@kernel()
def run_sections(sections: Samples, state: Samples, block: Samples, out: Samples) -> None:
    """Filter ``block`` into ``out`` through sections in series (transposed direct form II).

    ``state`` is ``(k, 2)`` and is carried over.
    """
    count = sections.shape[0]
    sound = block
    # Four or two at a time: each waits for its own last sample only, so they run side by side.
    s = 0
    while s + 4 <= count:
        _four_sections(sections[s : s + 4], state[s : s + 4], sound, out)
        s, sound = s + 4, out
    if s + 2 <= count:
        _two_sections(sections[s], sections[s + 1], state[s], state[s + 1], sound, out)
        s, sound = s + 2, out
    if s < count:
        _one_section(sections[s], state[s], sound, out)
    elif count == 0:
        out[:] = block


@kernel()
def _numbers(section: Samples) -> tuple[float, float, float, float, float]:
    # Numbers in local names stay in the processor's registers; in arrays they would not.
    return section[0], section[1], section[2], section[4], section[5]


@kernel()
def _awake(s0: float, s1: float) -> tuple[float, float]:
    """A section's memory, nothing where its tail has died away."""
    return (0.0, 0.0) if abs(s0) < _NOTHING and abs(s1) < _NOTHING else (s0, s1)


@kernel(fastmath={"contract"})
def _one_section(section: Samples, state: Samples, block: Samples, out: Samples) -> None:
    b0, b1, b2, a1, a2 = _numbers(section)
    s0, s1 = state[0], state[1]
    for first in range(0, len(block), _TAIL_SAMPLES):
        for i in range(first, min(first + _TAIL_SAMPLES, len(block))):
            x = block[i]
            y = b0 * x + s0
            s0 = (b1 * x + s1) - a1 * y
            s1 = b2 * x - a2 * y
            out[i] = y
        s0, s1 = _awake(s0, s1)
    state[0], state[1] = s0, s1


@kernel(fastmath={"contract"})
def _two_sections(
    section: Samples,
    behind: Samples,
    state: Samples,
    state_behind: Samples,
    block: Samples,
    out: Samples,
) -> None:
    b0, b1, b2, a1, a2 = _numbers(section)
    d0, d1, d2, c1, c2 = _numbers(behind)
    s0, s1 = state[0], state[1]
    t0, t1 = state_behind[0], state_behind[1]
    for first in range(0, len(block), _TAIL_SAMPLES):
        for i in range(first, min(first + _TAIL_SAMPLES, len(block))):
            x = block[i]
            y = b0 * x + s0
            s0 = (b1 * x + s1) - a1 * y
            s1 = b2 * x - a2 * y
            z = d0 * y + t0
            t0 = (d1 * y + t1) - c1 * z
            t1 = d2 * y - c2 * z
            out[i] = z
        s0, s1 = _awake(s0, s1)
        t0, t1 = _awake(t0, t1)
    state[0], state[1] = s0, s1
    state_behind[0], state_behind[1] = t0, t1


@kernel(fastmath={"contract"})
def _four_sections(sections: Samples, state: Samples, block: Samples, out: Samples) -> None:
    b0, b1, b2, a1, a2 = _numbers(sections[0])
    d0, d1, d2, c1, c2 = _numbers(sections[1])
    f0, f1, f2, e1, e2 = _numbers(sections[2])
    h0, h1, h2, g1, g2 = _numbers(sections[3])
    s0, s1, t0, t1 = state[0, 0], state[0, 1], state[1, 0], state[1, 1]
    u0, u1, v0, v1 = state[2, 0], state[2, 1], state[3, 0], state[3, 1]
    for first in range(0, len(block), _TAIL_SAMPLES):
        for i in range(first, min(first + _TAIL_SAMPLES, len(block))):
            w = block[i]
            x = b0 * w + s0
            s0 = (b1 * w + s1) - a1 * x
            s1 = b2 * w - a2 * x
            y = d0 * x + t0
            t0 = (d1 * x + t1) - c1 * y
            t1 = d2 * x - c2 * y
            x = f0 * y + u0
            u0 = (f1 * y + u1) - e1 * x
            u1 = f2 * y - e2 * x
            y = h0 * x + v0
            v0 = (h1 * x + v1) - g1 * y
            v1 = h2 * x - g2 * y
            out[i] = y
        s0, s1 = _awake(s0, s1)
        t0, t1 = _awake(t0, t1)
        u0, u1 = _awake(u0, u1)
        v0, v1 = _awake(v0, v1)
    state[0, 0], state[0, 1], state[1, 0], state[1, 1] = s0, s1, t0, t1
    state[2, 0], state[2, 1], state[3, 0], state[3, 1] = u0, u1, v0, v1
