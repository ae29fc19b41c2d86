"""The grid that samples sit on, after a digital volume control has scaled it.

A converter gives whole steps. A slider after it multiplies every one of them by the same number, so
they sit on another grid, and rounding them once more leaves its beat in how often each value comes.

Source: Widrow and Kollár (2008), Quantization Noise: the characteristic function of rounded values
is periodic, by the step.
"""

from __future__ import annotations

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.integrity import grid_bits

_BITS, _FINER = 23, 4
_MOST_CODES = 2**21
_LEAST_SAMPLES, _STANDS_OUT = 20_000, 9.0
# Under this the spread of the values themselves is seen, and the sway of a hum.
_SLOWEST = 18.0
# And the fall of a short part's own level.
_SLOWEST_CYCLES = 0.01


def rescaled_grid(samples: Samples) -> float | None:
    """How many steps of a scaled converter fit into a step of 24 bits (modulo what rounding hides),
    from ``(n,)`` samples of a quiet room; None where no slider scaled them, or nothing tells."""
    codes = np.round(samples * 2.0**_BITS * _FINER).astype(np.int64)
    codes = codes[np.abs(codes) < _MOST_CODES // 2]
    if len(codes) < _LEAST_SAMPLES or not np.any(codes):
        return None
    low = int(codes.min())
    counts = np.bincount(codes - low)
    size = 1 << (2 * len(counts) - 1).bit_length()
    magnitude = np.abs(np.fft.rfft(counts.astype(float), size)) / len(codes)
    cycles = np.arange(len(magnitude)) / size * _FINER
    own_spread = _SLOWEST * _FINER / (2.0 * np.pi * max(float(np.std(codes)), 1.0))
    slowest = max(own_spread, _SLOWEST_CYCLES)
    # What a whole grid of so many bits shows by itself.
    bits = grid_bits(samples)
    own = 1.0 if bits is None else 2.0 ** (bits - 1 - _BITS)
    beside = np.abs(cycles - own * np.round(cycles / own))
    magnitude[(cycles < slowest) | ((bits is not None) & (beside < slowest))] = 0.0
    best = int(magnitude.argmax())
    if magnitude[best] < _STANDS_OUT / np.sqrt(len(codes)):
        return None
    return float(cycles[best])
