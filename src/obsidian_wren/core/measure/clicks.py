"""Impulsive events in a quiet take: keys, mouse, knocks, relays, converter clicks.

Source: practice: what rises 15 dB over the median within 2 ms is no steady noise.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy

from obsidian_wren.core.chain.filters import filtered
from obsidian_wren.core.decibels import AES17_OFFSET_DB, SILENCE_DB, Samples, amplitude_db, power_db
from obsidian_wren.core.measure.spectrum import Band, Spectrum, power_spectrum, third_octaves
from obsidian_wren.core.measure.weighting import a_weighting_power

_HIGHPASS_HZ = 500.0
_FRAME_S = 0.002
_OVER_MEDIAN_DB = 15.0
_REFRACTORY_S = 0.06
_BEFORE_S = 0.004
_LOW_BAND_HZ = 100.0


@dataclass(frozen=True)
class ClickLevels:
    """Percentiles of the clicks' sample peaks, dBFS."""

    p10: float
    p50: float
    p90: float


@dataclass(frozen=True)
class Transients:
    """Clicks: how many, how many a minute, the highest sample among them in dBFS (None without
    any).

    ``levels_dbfs`` spreads their peaks; ``third_octaves`` is the AES17 level of the sound inside
    the 60 ms of each, from 100 Hz; ``a_weighted_without_dbfs`` is the A-weighted level of the take
    when those stretches are cut out.
    """

    count: int
    per_minute: float
    peak_dbfs: float | None
    levels_dbfs: ClickLevels | None = None
    third_octaves: tuple[Band, ...] = ()
    a_weighted_without_dbfs: float | None = None


def _click_starts(samples: Samples, rate_hz: float) -> tuple[np.ndarray, int]:
    """First 2 ms frame of each event and the frame length in samples."""
    cut = min(_HIGHPASS_HZ, rate_hz / 4.0)
    sections = scipy.signal.butter(2, cut, "highpass", fs=rate_hz, output="sos")
    high = filtered(sections, samples)
    frame = max(2, round(_FRAME_S * rate_hz))
    # The filter's own start is no event.
    high[: frame * 10] = 0.0
    whole = len(high) // frame * frame
    peaks = amplitude_db(np.abs(high[:whole].reshape(-1, frame)).max(axis=1) + 1e-12)
    threshold = float(np.median(peaks)) + _OVER_MEDIAN_DB
    over = np.flatnonzero(peaks > max(threshold, -110.0))
    if not len(over):
        return over, frame
    apart = round(_REFRACTORY_S / _FRAME_S)
    return over[np.concatenate([[True], np.diff(over) > apart])], frame


def click_times_s(samples: Samples, *, rate_hz: float) -> Samples:
    """When each event of :func:`find_transients` begins, s.

    Samples ``(n,)``, times ``(events,)``.
    """
    starts, frame = _click_starts(samples, rate_hz)
    return np.asarray(starts * (frame / rate_hz), dtype=np.float64)


def find_transients(samples: Samples, *, rate_hz: float) -> Transients:
    """Count events whose 2 ms peak above 500 Hz stands 15 dB over the median such peak; 60 ms apart
    at least.

    Samples ``(n,)``.
    """
    seconds = len(samples) / rate_hz
    starts, frame = _click_starts(samples, rate_hz)
    if not len(starts):
        return Transients(0, 0.0, None)
    length = round(_REFRACTORY_S * rate_hz)
    before = round(_BEFORE_S * rate_hz)
    spans = [(max(0, s * frame - before), min(len(samples), s * frame + length)) for s in starts]
    peaks = np.array([amplitude_db(float(np.abs(samples[a:b]).max())) for a, b in spans])
    p10, p50, p90 = np.percentile(peaks, [10, 50, 90])
    outside = np.ones(len(samples), dtype=bool)
    for a, b in spans:
        outside[a:b] = False
    return Transients(
        count=len(starts),
        per_minute=len(starts) * 60.0 / seconds,
        peak_dbfs=float(peaks.max()),
        levels_dbfs=ClickLevels(float(p10), float(p50), float(p90)),
        third_octaves=_bands(samples, spans, rate_hz),
        a_weighted_without_dbfs=_a_weighted_rest(samples[outside], rate_hz),
    )


def _bands(samples: Samples, spans: list[tuple[int, int]], rate_hz: float) -> tuple[Band, ...]:
    """Mean third octaves of the spans, each looked at through one half-rising window so that its
    onset counts."""
    length = 1 << int(np.floor(np.log2(_REFRACTORY_S * rate_hz)))
    whole = [samples[a : a + length] for a, _ in spans if a + length <= len(samples)]
    if not whole:
        return ()
    fade = np.ones(length)
    edge = length // 16
    fade[:edge], fade[-edge:] = np.hanning(2 * edge)[:edge], np.hanning(2 * edge)[edge:]
    bins = np.abs(np.fft.rfft(np.stack(whole) * fade, axis=1)) ** 2
    mean_square = bins.mean(axis=0) * 2.0 / (length * float(fade @ fade))
    spectrum = Spectrum(
        np.asarray(np.fft.rfftfreq(length, 1.0 / rate_hz), dtype=np.float64),
        np.asarray(mean_square, dtype=np.float64),
    )
    return tuple(band for band in third_octaves(spectrum) if band.centre_hz >= _LOW_BAND_HZ)


def _a_weighted_rest(samples: Samples, rate_hz: float) -> float:
    if len(samples) < 1024:
        return SILENCE_DB
    spectrum = power_spectrum(samples, rate_hz=rate_hz, frame_s=0.34)
    return (
        power_db(float(a_weighting_power(spectrum.frequency_hz) @ spectrum.mean_square))
        + AES17_OFFSET_DB
    )
