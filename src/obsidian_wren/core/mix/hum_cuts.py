"""Narrow cuts where hum stands under a sound that pauses: talk that comes back, an instrument.

Source: Bristow-Johnson's cookbook for the cuts; practice for their width.
"""

from __future__ import annotations

import numpy as np
import scipy

from obsidian_wren.core.chain.filters import EqualizerBand
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.hum import Hum, find_hum
from obsidian_wren.core.measure.spectrum import Spectrum
from obsidian_wren.core.wording import _

# Hum under this is heard by nobody.
HUM_FROM_DBFS = -75.0
_FRAME_S = 1.0
_NOTCH_Q, _MOST_NOTCH_DB, _MOST_NOTCHES = 12.0, 24.0, 4
_LEAST_NOTCH_DB = 3.0


def steady_spectrum(samples: Samples, *, rate_hz: float) -> Spectrum:
    """What of ``(n,)`` samples lasts through the pauses of whatever sounds: what each bin
    exceeds in nine of ten frames of one second."""
    count = round(_FRAME_S * rate_hz)
    window = np.hanning(count + 1)[:-1]
    frames = np.lib.stride_tricks.sliding_window_view(samples, count)[:: count // 8]
    power = (
        2.0
        * np.abs(scipy.fft.rfft(frames * window, axis=1)) ** 2
        / (count * float(window @ window))
    )
    return Spectrum(scipy.fft.rfftfreq(count, 1.0 / rate_hz), np.percentile(power, 10, axis=0))


def steady_hum(samples: Samples, *, rate_hz: float) -> Hum | None:
    """The hum that lasts through ``(n,)`` samples, a second or more of them; None where nobody
    would hear it."""
    found = find_hum(steady_spectrum(samples, rate_hz=rate_hz))
    return found if found is not None and found.level_dbfs > HUM_FROM_DBFS else None


def hum_cuts(hum: Hum) -> tuple[EqualizerBand, ...]:
    """A narrow cut at each of the loudest lines, as deep as takes it out of hearing."""
    loudest = sorted(hum.harmonics, key=lambda line: -line.level_dbfs)[:_MOST_NOTCHES]
    depths = [(line.hz, min(_MOST_NOTCH_DB, line.level_dbfs - HUM_FROM_DBFS)) for line in loudest]
    return tuple(
        EqualizerBand("peak", hz, -depth, _NOTCH_Q)
        for hz, depth in depths
        if depth > _LEAST_NOTCH_DB
    )


def told(hum: Hum, cuts: tuple[EqualizerBand, ...]) -> str:
    """What is done about it, as a sentence."""
    return _(
        "Hum of {mains_hz:.0f} Hz at {level:.0f} dBFS: {cuts} narrow cuts at its harmonics.",
        mains_hz=hum.mains_hz,
        level=hum.level_dbfs,
        cuts=len(cuts),
    )
