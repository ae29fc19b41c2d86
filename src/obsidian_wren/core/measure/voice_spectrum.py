"""Long-term spectrum of a voice on a fine logarithmic grid, what the equalizer fit
stands on.

Power is gathered into 1/48-octave cells; third-octave bands at 1/12-octave steps are weighted sums
of those cells. Keeping the cells lets the fit predict exactly what an equalizer does to each band,
also inside it.

Source: Welch (1967), cells by IEC 61260-1; the error of a mean after Bartlett (1948).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.decibels import Samples, power_db
from obsidian_wren.core.measure.levels import frame_levels_dbfs
from obsidian_wren.core.measure.spectrum import Spectrum, band_weights, frame_starts, power_spectrum
from obsidian_wren.core.measure.speech import PITCH_HOP_S, Voicing, spoken_mask

FINE_FRAME_S = 0.17
_LOW_HZ, _HIGH_HZ = 40.0, 20_000.0
_CELLS_PER_OCTAVE = 48
_POINTS_PER_OCTAVE = 12

CELL_HZ: Samples = _LOW_HZ * 2.0 ** (
    np.arange(int(np.log2(_HIGH_HZ / _LOW_HZ) * _CELLS_PER_OCTAVE) + 1) / _CELLS_PER_OCTAVE
)
POINT_HZ: Samples = 50.0 * 2.0 ** (
    np.arange(int(np.log2(16_000.0 / 50.0) * _POINTS_PER_OCTAVE) + 1) / _POINTS_PER_OCTAVE
)
POINT_WEIGHTS: Samples = band_weights(CELL_HZ, POINT_HZ)
_MOSTLY = 0.5


@dataclass(frozen=True)
class FineSpectrum:
    """Mean square per 1/48-octave cell ``(cells,)`` at :data:`CELL_HZ`, zero above ``top_hz``."""

    cells: Samples
    top_hz: float

    def points_db(self) -> Samples:
        """Third-octave levels at :data:`POINT_HZ` in dB re full scale squared, ``(points,)``."""
        return power_db(np.maximum(POINT_WEIGHTS @ self.cells, 1e-30))


def _cells(spectrum: Spectrum) -> FineSpectrum:
    """Share the power of each bin over the cells that it covers, by interpolating the running
    sum."""
    edges_hz = CELL_HZ * 2.0 ** (-0.5 / _CELLS_PER_OCTAVE)
    edges_hz = np.append(edges_hz, CELL_HZ[-1] * 2.0 ** (0.5 / _CELLS_PER_OCTAVE))
    bin_edges = np.append(
        spectrum.frequency_hz - spectrum.bin_hz / 2.0,
        spectrum.frequency_hz[-1] + spectrum.bin_hz / 2.0,
    )
    running = np.concatenate([[0.0], np.cumsum(spectrum.mean_square)])
    return FineSpectrum(
        np.diff(np.interp(edges_hz, bin_edges, running)), float(spectrum.frequency_hz[-1])
    )


def noise_spectrum(spectrum: Spectrum) -> FineSpectrum:
    """A room's spectrum on the cells of the voice spectrum."""
    return _cells(spectrum)


@dataclass(frozen=True)
class VoiceSpectrum:
    """The mean spectrum of a voice, and third-octave levels of ``count`` stretches of equally
    much speech, ``(count, points)`` in dB."""

    mean: FineSpectrum
    stretches_db: Samples


def voice_spectrum(
    samples: Samples, *, rate_hz: float, voicing: Voicing, active_level_dbfs: float, count: int = 6
) -> VoiceSpectrum:
    """Spectrum of the active speech, voiced and unvoiced, of ``(n,)`` samples.

    A frame counts when it holds voiced sound or lies within the P.56 margin of the active level;
    pauses are left out.
    """
    wanted = _spoken_frames(samples, rate_hz, voicing, active_level_dbfs)
    if not wanted.any():
        wanted[:] = 1.0
    share = np.minimum(
        (np.cumsum(wanted) - 1.0) * count / max(wanted.sum(), 1.0), count - 1
    ).astype(int)
    spectra, weights = [], []
    for k in range(count):
        here = wanted * (share == k)
        if here.any():
            spectra.append(
                _cells(
                    power_spectrum(
                        samples, rate_hz=rate_hz, frame_s=FINE_FRAME_S, frames_wanted=here
                    )
                )
            )
            weights.append(here.sum())
    cells = np.average([spectrum.cells for spectrum in spectra], axis=0, weights=weights)
    return VoiceSpectrum(
        FineSpectrum(cells, spectra[0].top_hz),
        np.array([spectrum.points_db() for spectrum in spectra]),
    )


def spoken_spectrum(
    samples: Samples, *, rate_hz: float, voicing: Voicing, active_level_dbfs: float
) -> tuple[FineSpectrum, float] | None:
    """The spectrum of the active speech in one stretch of a longer take, and how many frames it
    stands on; None where nobody speaks in it.

    Samples ``(n,)``.
    """
    wanted = _spoken_frames(samples, rate_hz, voicing, active_level_dbfs)
    if not wanted.any():
        return None
    return _cells(
        power_spectrum(samples, rate_hz=rate_hz, frame_s=FINE_FRAME_S, frames_wanted=wanted)
    ), float(wanted.sum())


def joined_spectrum(
    stretches: Sequence[tuple[FineSpectrum, float]], *, count: int = 6
) -> VoiceSpectrum:
    """The voice spectrum of a long take from those of its stretches, in ``count`` groups of
    about equally much speech."""
    weights = np.array([weight for _, weight in stretches])
    group = np.minimum((np.cumsum(weights) - weights) * count / weights.sum(), count - 1).astype(
        int
    )
    top_hz = stretches[0][0].top_hz
    cells = np.array([spectrum.cells for spectrum, _ in stretches])
    found = [
        FineSpectrum(np.average(cells[group == k], axis=0, weights=weights[group == k]), top_hz)
        for k in np.unique(group)
    ]
    whole = FineSpectrum(np.average(cells, axis=0, weights=weights), top_hz)
    return VoiceSpectrum(whole, np.array([spectrum.points_db() for spectrum in found]))


def certainty_db(levels_db: Samples) -> Samples:
    """How far the long-term spectrum may be off, from stretches ``(stretches, points)``: the
    standard error at each point, dB ``(points,)``.

    Each stretch is levelled first: that a person spoke louder says nothing about tone.
    """
    levelled = levels_db - np.mean(levels_db, axis=1, keepdims=True)
    return np.asarray(np.std(levelled, axis=0, ddof=1) / np.sqrt(len(levels_db)))


def mean_spectrum(spectra: Sequence[FineSpectrum]) -> FineSpectrum:
    """The mean of several passages, each brought to the level of the first before."""
    first = float(spectra[0].cells.sum())
    cells = [
        spectrum.cells * (first / max(float(spectrum.cells.sum()), 1e-30)) for spectrum in spectra
    ]
    return FineSpectrum(np.mean(cells, axis=0), min(spectrum.top_hz for spectrum in spectra))


def _spoken_frames(
    samples: Samples, rate_hz: float, voicing: Voicing, active_level_dbfs: float
) -> Samples:
    """Weight 1 for each frame of :func:`power_spectrum` that is speech for at least half its
    length, else 0."""
    starts, length = frame_starts(samples, rate_hz=rate_hz, frame_s=FINE_FRAME_S)
    levels = frame_levels_dbfs(samples, rate_hz=rate_hz)
    spoken = spoken_mask(levels, active_level_dbfs)
    voiced = np.zeros(len(spoken), dtype=bool)
    shared = min(len(voicing.voiced), len(spoken))
    voiced[:shared] = voicing.voiced[:shared]
    running = np.concatenate([[0.0], np.cumsum(spoken | voiced)])
    first = np.clip((starts / rate_hz / PITCH_HOP_S).astype(int), 0, len(running) - 1)
    last = np.clip(((starts + length) / rate_hz / PITCH_HOP_S).astype(int), 0, len(running) - 1)
    share = (running[last] - running[first]) / np.maximum(last - first, 1)
    wanted = (share >= _MOSTLY).astype(float)
    return np.asarray(wanted, dtype=np.float64)
