"""Resonances: narrow places of a voice's long-term spectrum that stand out of their
surroundings.

Source: practice: a third of an octave that rises over the octave around it.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy

from obsidian_wren.core.decibels import power_db
from obsidian_wren.core.measure.spectrum import band_weights
from obsidian_wren.core.measure.speech import Pitch
from obsidian_wren.core.measure.voice_spectrum import CELL_HZ, POINT_HZ, FineSpectrum

_NARROW = band_weights(CELL_HZ, POINT_HZ, bands_per_octave=12.0)
_POINTS_PER_OCTAVE = 12
_LEAST_DB = 2.0
_MOST = 6
# Under this many times the pitch single harmonics stand out by themselves.
_HARMONICS = 6.0


@dataclass(frozen=True)
class Resonance:
    """Where, and how far it stands over the median of the octave around it, dB."""

    frequency_hz: float
    over_db: float


def find_resonances(
    voice: FineSpectrum, pitch: Pitch | None, *, low_hz: float, high_hz: float
) -> tuple[Resonance, ...]:
    """The resonances of a voice between two frequencies, the strongest first, at most six."""
    level = power_db(np.maximum(_NARROW @ voice.cells, 1e-30))
    over = level - scipy.ndimage.median_filter(level, size=_POINTS_PER_OCTAVE + 1, mode="nearest")
    from_hz = max(low_hz, _HARMONICS * pitch.p50 if pitch is not None else low_hz)
    peaks, _ = scipy.signal.find_peaks(over, height=_LEAST_DB, prominence=_LEAST_DB)
    inside = [i for i in peaks if from_hz <= POINT_HZ[i] <= high_hz]
    strongest = sorted(inside, key=lambda i: -over[i])[:_MOST]
    return tuple(Resonance(float(POINT_HZ[i]), float(over[i])) for i in strongest)
