"""Spectral lines: what stands out of the noise beside it as narrow as a steady tone.

Source: ECMA-418-1, tone-to-noise ratio.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.decibels import Samples, power_db
from obsidian_wren.core.measure.spectrum import Spectrum

LINE_BINS = 3


@dataclass(frozen=True)
class Line:
    """One line: centre in Hz, mean square with the noise beside it taken off, and how far its
    top stands out in dB."""

    hz: float
    mean_square: float
    stands_out_db: float


def block_floor(spectrum: Spectrum, width_hz: float) -> Samples:
    """Median mean square around each bin ``(bins,)``: what is there without lines.

    Medians of blocks, joined by straight lines in dB.

    A running median over a whole band is the slowest thing in a reading; blocks of half the width
    say the same.
    """
    block = max(9, round(width_hz / 2.0 / spectrum.bin_hz))
    whole = len(spectrum.mean_square) // block
    if whole < 2:
        return np.full(len(spectrum.mean_square), float(np.median(spectrum.mean_square)))
    medians = np.median(spectrum.mean_square[: whole * block].reshape(whole, block), axis=1)
    centres = (np.arange(whole) + 0.5) * block
    levels = np.interp(
        np.arange(len(spectrum.mean_square)), centres, np.log(np.maximum(medians, 1e-30))
    )
    return np.asarray(np.exp(levels))


def find_lines(
    spectrum: Spectrum, floor: Samples, *, low_hz: float, high_hz: float, stands_out_db: float
) -> list[Line]:
    """Every local top that stands out of ``floor``, lowest first.

    ``floor`` is ``(bins,)``, power as in the spectrum.
    """
    power = spectrum.mean_square
    inside = (spectrum.frequency_hz >= low_hz) & (spectrum.frequency_hz <= high_hz)
    # The median of an exponential spread lies under its mean; 1/ln 2 turns one into the other.
    noise = floor / np.log(2.0)
    tops = inside & (power > noise * 10.0 ** (stands_out_db / 10.0))
    found = []
    for top in np.flatnonzero(tops):
        low, high = max(0, top - LINE_BINS), min(len(power), top + LINE_BINS + 1)
        part = power[low:high]
        if part.max() > power[top]:
            continue
        over = np.maximum(part - noise[low:high], 0.0)
        total = float(part.sum() - noise[low:high].sum())
        if total <= 0.0 or over.sum() <= 0.0:
            continue
        centre = float(over @ spectrum.frequency_hz[low:high] / over.sum())
        found.append(Line(centre, total, power_db(float(power[top] / noise[top]))))
    return found
