"""Impulsive events in a quiet take: keys, mouse, knocks, converter clicks."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy.signal

from obsidian_wren.core.decibels import SILENCE_DB, Samples, amplitude_db

_HIGHPASS_HZ = 500.0
_FRAME_S = 0.002
_OVER_MEDIAN_DB = 15.0
_REFRACTORY_S = 0.06


@dataclass(frozen=True)
class Transients:
    """Clicks: how many, how many a minute, and the highest sample among them in dBFS (None without any)."""

    count: int
    per_minute: float
    peak_dbfs: float | None


def find_transients(samples: Samples, *, rate_hz: float) -> Transients:
    """Count events whose 2 ms peak above 500 Hz stands 15 dB over the median such peak; 60 ms apart at least."""
    seconds = len(samples) / rate_hz
    cut = min(_HIGHPASS_HZ, rate_hz / 4.0)
    high = scipy.signal.sosfilt(scipy.signal.butter(2, cut, "highpass", fs=rate_hz, output="sos"), samples)
    frame = max(2, round(_FRAME_S * rate_hz))
    # The filter's own start is no event.
    high[: frame * 10] = 0.0
    whole = len(high) // frame * frame
    peaks = amplitude_db(np.abs(high[:whole].reshape(-1, frame)).max(axis=1) + 1e-12)
    threshold = float(np.median(peaks)) + _OVER_MEDIAN_DB
    over = np.flatnonzero(peaks > max(threshold, -110.0))
    if not len(over):
        return Transients(0, 0.0, None)
    apart = round(_REFRACTORY_S / _FRAME_S)
    starts = over[np.concatenate([[True], np.diff(over) > apart])]
    highest = max((amplitude_db(float(np.abs(samples[s * frame : (s + apart) * frame]).max())) for s in starts), default=SILENCE_DB)
    return Transients(len(starts), len(starts) * 60.0 / seconds, highest)
