"""What a voice is fitted to: the long-term average speech spectrum, as a corridor.

Byrne et al. (1994), "An international comparison of long-term average speech spectra", JASA 96: combined talkers, dB per
third octave at 70 dB overall. It starts at 100 Hz; below that there is no target.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.voice_spectrum import POINT_HZ, FineSpectrum

CORRIDOR_DB = 1.5
_BYRNE_1994 = {
    100: 54.4, 125: 57.7, 160: 56.8, 200: 60.2, 250: 60.3, 315: 59.0, 400: 62.1, 500: 62.1, 630: 60.5, 800: 56.8,
    1000: 53.7, 1250: 53.0, 1600: 52.0, 2000: 48.7, 2500: 48.1, 3150: 46.8, 4000: 45.6, 5000: 44.5, 6300: 44.3,
    8000: 43.7, 10000: 43.4, 12500: 41.3, 16000: 40.7,
}  # fmt: skip


@dataclass(frozen=True)
class Target:
    """A target ``levels_db`` at the points of the voice spectrum, its lowest frequency, and half the corridor's width."""

    levels_db: Samples
    low_hz: float
    high_hz: float
    corridor_db: float


def average_speech() -> Target:
    """The average speech spectrum of Byrne et al. (1994), smoothed over a third octave: single bands of the table are uneven."""
    hz = np.array(list(_BYRNE_1994), dtype=float)
    table = np.array(list(_BYRNE_1994.values()))
    smooth = np.convolve(np.pad(table, 1, mode="edge"), [0.25, 0.5, 0.25], mode="valid")
    smooth[0] = table[0]
    return Target(np.interp(np.log(POINT_HZ), np.log(hz), smooth), 100.0, 16_000.0, CORRIDOR_DB)


def same_voice(reference: FineSpectrum, *, corridor_db: float = CORRIDOR_DB) -> Target:
    """A target that is another spectrum of the same voice, such as a take through a microphone that is trusted."""
    return Target(reference.points_db(), 50.0, 16_000.0, corridor_db)
