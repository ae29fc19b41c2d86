"""A curve from elsewhere as bands of an equalizer.

Source: the fit of ``equalizer_fit`` to a flat spectrum, so that nothing of a voice is in it.
"""

from __future__ import annotations

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive.equalizer_caps import KNOWN
from obsidian_wren.core.derive.equalizer_fit import EqualizerFit, fit_equalizer
from obsidian_wren.core.derive.tone_target import Target
from obsidian_wren.core.measure.voice_spectrum import CELL_HZ, POINT_HZ, FineSpectrum

_WITHIN_DB = 0.25


def fit_curve(hz: Samples, db: Samples, *, rate_hz: float) -> EqualizerFit:
    """Bands whose response is nearest to a curve of dB ``(n,)`` at rising frequencies ``(n,)``.
    Raises ValueError for a curve that reaches into no octave of a voice."""
    inside = (POINT_HZ >= hz[0]) & (POINT_HZ <= min(hz[-1], 0.45 * rate_hz))
    if np.count_nonzero(inside) < 3:
        raise ValueError("the curve holds no octave of a voice")
    flat = FineSpectrum(np.where(CELL_HZ < 0.49 * rate_hz, 1.0, 0.0), rate_hz / 2.0)
    wanted = np.interp(np.log(POINT_HZ), np.log(hz), db)
    target = Target(
        flat.points_db() + wanted,
        float(POINT_HZ[inside][0]),
        float(POINT_HZ[inside][-1]),
        _WITHIN_DB,
        name="a curve",
        kind="curve",
    )
    return fit_equalizer(flat, target, inside.astype(float), rate_hz=rate_hz, caps=KNOWN)
