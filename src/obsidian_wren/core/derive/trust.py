"""Where a voice stands far enough over the noise for its spectrum to be believed.

Source: power subtraction (Boll 1979); practice for the limits: at 10 dB of SNR noise adds 0.5 dB.
"""

from __future__ import annotations

import numpy as np

from obsidian_wren.core.decibels import Samples, power_db
from obsidian_wren.core.measure.spectrum import band_weights
from obsidian_wren.core.measure.voice_spectrum import CELL_HZ, POINT_HZ, FineSpectrum

TRUST_FROM_DB = 10.0
_TRUST_FULL_DB = 16.0
NARROW_FROM_HZ = 1000.0
_NARROW_WEIGHTS = band_weights(CELL_HZ, POINT_HZ, bands_per_octave=12.0)

CELL_OF_POINT = np.abs(np.log2(CELL_HZ)[None, :] - np.log2(POINT_HZ)[:, None]).argmin(axis=1)


def trust_from_snr(voice: FineSpectrum, noise: FineSpectrum) -> Samples:
    """Trust per point: 0 under 10 dB of voice over noise, 1 from 16 dB, linear between.

    ``(points,)``.
    """
    snr_db = np.minimum(voice.points_db() - noise.points_db(), narrow_snr_db(voice, noise))
    return np.clip((snr_db - TRUST_FROM_DB) / (_TRUST_FULL_DB - TRUST_FROM_DB), 0.0, 1.0)


def narrow_snr_db(voice: FineSpectrum, noise: FineSpectrum) -> Samples:
    """The same in twelfth octaves above 1 kHz, where no harmonic stands alone: past the end of a
    voice's band the skirt of a third octave would still see it.

    ``(points,)``.
    """
    voice_db = power_db(np.maximum(_NARROW_WEIGHTS @ voice.cells, 1e-30))
    noise_db = power_db(np.maximum(_NARROW_WEIGHTS @ noise.cells, 1e-30))
    return np.where(POINT_HZ >= NARROW_FROM_HZ, voice_db - noise_db, np.inf)


def without_noise(voice: FineSpectrum, noise: FineSpectrum) -> FineSpectrum:
    """The voice with the room's power taken off each cell; at least a tenth of it stays, so no
    cell goes to zero."""
    return FineSpectrum(np.maximum(voice.cells - noise.cells, 0.1 * voice.cells), voice.top_hz)
