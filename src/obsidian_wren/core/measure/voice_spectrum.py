"""Long-term spectrum of a voice on a fine logarithmic grid, the ground that the equalizer fit stands on.

Power is gathered into 1/48-octave cells; third-octave bands at 1/12-octave steps are weighted sums of those cells. Keeping the
cells lets the fit predict exactly what an equalizer does to each band, also inside it.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.decibels import Samples, power_db
from obsidian_wren.core.measure.levels import frame_levels_dbfs
from obsidian_wren.core.measure.spectrum import Spectrum, band_weights, frame_starts, power_spectrum
from obsidian_wren.core.measure.speech import PITCH_HOP_S, Voicing

FINE_FRAME_S = 0.17
_LOW_HZ, _HIGH_HZ = 40.0, 20_000.0
_CELLS_PER_OCTAVE = 48
_POINTS_PER_OCTAVE = 12

CELL_HZ: Samples = _LOW_HZ * 2.0 ** (np.arange(int(np.log2(_HIGH_HZ / _LOW_HZ) * _CELLS_PER_OCTAVE) + 1) / _CELLS_PER_OCTAVE)
POINT_HZ: Samples = 50.0 * 2.0 ** (np.arange(int(np.log2(16_000.0 / 50.0) * _POINTS_PER_OCTAVE) + 1) / _POINTS_PER_OCTAVE)
POINT_WEIGHTS: Samples = band_weights(CELL_HZ, POINT_HZ)


@dataclass(frozen=True)
class FineSpectrum:
    """Mean square per 1/48-octave cell ``(cells,)`` at :data:`CELL_HZ`, zero above ``top_hz``."""

    cells: Samples
    top_hz: float

    def points_db(self) -> Samples:
        """Third-octave levels at :data:`POINT_HZ` in dB re full scale squared, ``(points,)``."""
        return power_db(np.maximum(POINT_WEIGHTS @ self.cells, 1e-30))


def _cells(spectrum: Spectrum) -> FineSpectrum:
    """Share the power of each bin over the cells that it covers, by interpolating the running sum."""
    edges_hz = CELL_HZ * 2.0 ** (-0.5 / _CELLS_PER_OCTAVE)
    edges_hz = np.append(edges_hz, CELL_HZ[-1] * 2.0 ** (0.5 / _CELLS_PER_OCTAVE))
    bin_edges = np.append(spectrum.frequency_hz - spectrum.bin_hz / 2.0, spectrum.frequency_hz[-1] + spectrum.bin_hz / 2.0)
    running = np.concatenate([[0.0], np.cumsum(spectrum.mean_square)])
    return FineSpectrum(np.diff(np.interp(edges_hz, bin_edges, running)), float(spectrum.frequency_hz[-1]))


def noise_spectrum(spectrum: Spectrum) -> FineSpectrum:
    """A room's spectrum on the cells of the voice spectrum."""
    return _cells(spectrum)


def voice_spectrum(samples: Samples, *, rate_hz: float, voicing: Voicing, active_level_dbfs: float) -> FineSpectrum:
    """Mean spectrum of the active speech, voiced and unvoiced, of ``(n,)`` samples.

    A frame counts when it holds voiced sound or lies within the P.56 margin of the active level; pauses are left out.
    """
    starts, length = frame_starts(samples, rate_hz=rate_hz, frame_s=FINE_FRAME_S)
    levels = frame_levels_dbfs(samples, rate_hz=rate_hz)
    spoken = levels > active_level_dbfs - 15.9
    voiced = np.zeros(len(spoken), dtype=bool)
    shared = min(len(voicing.voiced), len(spoken))
    voiced[:shared] = voicing.voiced[:shared]
    running = np.concatenate([[0.0], np.cumsum(spoken | voiced)])
    first = np.clip((starts / rate_hz / PITCH_HOP_S).astype(int), 0, len(running) - 1)
    last = np.clip(((starts + length) / rate_hz / PITCH_HOP_S).astype(int), 0, len(running) - 1)
    share = (running[last] - running[first]) / np.maximum(last - first, 1)
    wanted = (share >= 0.5).astype(float)
    if not wanted.any():
        wanted[:] = 1.0
    return _cells(power_spectrum(samples, rate_hz=rate_hz, frame_s=FINE_FRAME_S, frames_wanted=wanted))
