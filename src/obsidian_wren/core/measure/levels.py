"""Levels of a take: AES17 RMS, sample peak, true peak, frame percentiles, trend, DC.

>>> import numpy as np
>>> sine = np.sin(2 * np.pi * 997 * np.arange(48_000) / 48_000)
>>> round(rms_dbfs(sine), 2)
0.0
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.decibels import (
    AES17_OFFSET_DB,
    SILENCE_DB,
    Samples,
    amplitude_db,
    power_db,
    rms_level_dbfs,
)
from obsidian_wren.core.kernel import kernel
from obsidian_wren.core.measure.highest import BetweenBound, highest
from obsidian_wren.core.record_types import Level

FRAME_S = 0.010
TRUE_PEAK_OVERSAMPLING = 8
_TAPS_PER_PHASE = 32
# Of full scale: more is a fault of the input.
OFFSET_SHARE = 0.001


@dataclass(frozen=True)
class Percentiles:
    """Levels in dBFS below which 10, 50, 90 and 99 % of the 10 ms frames lie."""

    p10: Level
    p50: Level
    p90: Level
    p99: Level


def rms_dbfs(samples: Samples) -> float:
    """AES17 RMS level of ``(n,)`` samples in dBFS, DC included; minus infinity for silence."""
    return (
        rms_level_dbfs(float(np.dot(samples, samples)) / len(samples))
        if len(samples)
        else SILENCE_DB
    )


def peak_dbfs(samples: Samples) -> float:
    """Largest absolute sample of ``(n,)`` in dBFS."""
    return amplitude_db(_absolute_peak(samples))


def _absolute_peak(samples: Samples) -> float:
    return float(max(samples.max(), -samples.min())) if len(samples) else 0.0


def frame_levels_dbfs(samples: Samples, *, rate_hz: float, frame_s: float = FRAME_S) -> Samples:
    """AES17 level of each whole frame, ``(frames,)`` in dBFS.

    The frame length is rounded to samples.
    """
    frame_samples = max(1, round(frame_s * rate_hz))
    frames = samples[: len(samples) // frame_samples * frame_samples].reshape(-1, frame_samples)
    mean_squares: Samples = np.einsum("ij,ij->i", frames, frames) / frame_samples
    return power_db(mean_squares) + AES17_OFFSET_DB


def frame_peaks(samples: Samples, *, rate_hz: float, frame_s: float) -> Samples:
    """Highest absolute sample of each whole frame, ``(frames,)``."""
    frame_samples = max(1, round(frame_s * rate_hz))
    frames = samples[: len(samples) // frame_samples * frame_samples].reshape(-1, frame_samples)
    return np.asarray(np.maximum(frames.max(axis=1), -frames.min(axis=1)))


def percentiles_dbfs(samples: Samples, *, rate_hz: float) -> Percentiles:
    """Spread over time: percentiles of the 10 ms frame levels, dBFS.

    Silent frames count as −200 dBFS. Samples ``(n,)``.
    """
    levels = np.maximum(frame_levels_dbfs(samples, rate_hz=rate_hz), -200.0)
    if not len(levels):
        return Percentiles(SILENCE_DB, SILENCE_DB, SILENCE_DB, SILENCE_DB)
    p10, p50, p90, p99 = np.percentile(levels, [10, 50, 90, 99])
    return Percentiles(float(p10), float(p50), float(p90), float(p99))


@dataclass(frozen=True)
class Trend:
    """How the level wanders: slope in dB a minute and its standard error, from the levels of
    half-second stretches."""

    db_per_minute: float
    error_db_per_minute: Level


def level_trend(stretches_dbfs: Samples, *, stretch_s: float) -> Trend:
    """Least-squares slope of ``(stretches,)`` levels over time; zero with an infinite error for
    fewer than four."""
    count = len(stretches_dbfs)
    if count < 4:
        return Trend(0.0, np.inf)
    minutes = np.arange(count) * stretch_s / 60.0
    away = minutes - minutes.mean()
    slope = float(away @ stretches_dbfs / (away @ away))
    left = stretches_dbfs - stretches_dbfs.mean() - slope * away
    return Trend(slope, float(np.sqrt(left @ left / (count - 2) / (away @ away))))


def interpolator(factor: int, taps_per_phase: int, *, beta: float = 9.0) -> Samples:
    """Polyphase windowed-sinc interpolator ``(factor, taps_per_phase)``; phase 0 is the sample
    itself. ``beta`` of the Kaiser window: less of it follows nearer to half the rate, with more
    ripple under it.

    Row ``p`` convolved with the input gives the signal ``p / factor`` of a sample after tap
    ``taps_per_phase / 2 − 1`` (the oldest sample of a row is multiplied by its first tap). Each row
    sums to one, so DC passes unchanged.
    """
    half = taps_per_phase // 2
    rows = []
    for phase in range(factor):
        at = np.arange(taps_per_phase) - (half - 1) - phase / factor
        row = (
            np.sinc(at)
            * np.i0(beta * np.sqrt(np.maximum(0.0, 1.0 - (at / half) ** 2)))
            / np.i0(beta)
        )
        rows.append(row / row.sum())
    return np.asarray(rows)


@kernel(fastmath=True)
def interpolate(padded: Samples, row: Samples, value: Samples) -> None:
    """Convolve with one phase of an interpolator:

    ``value[i] = Σ padded[i + tap] · row[tap]``; taps in fours. ``padded`` is ``(n + taps,)``,
    ``row`` ``(taps,)``, ``value`` ``(n,)``, written in place.
    """
    n = len(value)
    value[:] = 0.0
    # Taps outside, samples inside: the inner loop then runs over neighbours in memory, four taps at
    # a time.
    for tap in range(0, len(row), 4):
        a, b, c, d = row[tap], row[tap + 1], row[tap + 2], row[tap + 3]
        at_a, at_b = padded[tap : tap + n], padded[tap + 1 : tap + 1 + n]
        at_c, at_d = padded[tap + 2 : tap + 2 + n], padded[tap + 3 : tap + 3 + n]
        for i in range(n):
            value[i] += at_a[i] * a + at_b[i] * b + at_c[i] * c + at_d[i] * d


def between_bound(phases: Samples) -> BetweenBound:
    """The bound of interpolators ``(p, taps)``.

    Source: by definition: what a filter does beyond a straight line between two samples is, summed
    twice, a filter of second differences; and the inequality of Cauchy and Schwarz.
    """
    taps = phases.shape[1]
    place = np.arange(taps) - (taps // 2 - 1)
    share = bend = 0.0
    for row in phases:
        # A straight line goes through a sample and the next: what is added to either, for the sum
        # and the centre of gravity of the row, is its difference from one through both.
        onward = float(place @ row)
        here = float(row.sum()) - onward
        beyond = row.copy()
        beyond[taps // 2 - 1] -= here
        beyond[taps // 2] -= onward
        share = max(share, abs(here) + abs(onward))
        bend = max(bend, float(np.abs(np.cumsum(np.cumsum(beyond))).sum()))
    amount, energy = np.abs(phases).sum(axis=1).max(), np.sqrt((phases**2).sum(axis=1).max())
    # Rounding has its room.
    amount, share, bend, energy = np.array([amount, share, bend, energy]) * (1.0 + 1e-9)
    return BetweenBound(float(amount), float(share), float(bend), float(energy), taps)


@kernel(fastmath=True)
def _most_energy(near: Samples, taps: int) -> float:
    """The highest energy under ``taps`` samples in a row."""
    energy = 0.0
    for i in range(min(taps, len(near))):
        energy += near[i] * near[i]
    most = energy
    for i in range(len(near) - taps):
        energy += near[i + taps] * near[i + taps] - near[i] * near[i]
        most = max(most, energy)
    return most


@kernel("b1(f8[::1], f8, BetweenBound)", fastmath=True)
def may_pass(near: Samples, limit: float, bound: BetweenBound) -> bool:
    """Whether anything between samples ``(n,)`` may be over a limit, by :func:`between_bound`."""
    amount = highest(near)
    if amount * bound.amount <= limit:
        return False
    if amount > limit:
        return True
    bend = 0.0
    for i in range(1, len(near) - 1):
        bend = max(bend, abs(near[i - 1] - 2.0 * near[i] + near[i + 1]))
    if amount * bound.share + bend * bound.bend <= limit:
        return False
    return bound.energy * math.sqrt(_most_energy(near, bound.taps)) > limit


@kernel("f8(f8[::1], f8[:, ::1], BetweenBound, f8)", fastmath=True)
def _interpolated_peak(
    padded: Samples, phases: Samples, bound: BetweenBound, start: float
) -> float:
    """Highest interpolated value of ``padded``, samples with ``taps`` zeros before and after."""
    factor, taps = phases.shape
    peak = start
    chunk = 256
    value = np.empty(chunk)
    for first in range(0, len(padded) - taps - chunk, chunk):
        part = padded[first : first + chunk + taps]
        if not may_pass(part, peak, bound):
            continue
        for phase in range(1, factor):
            interpolate(part, phases[phase], value)
            peak = max(peak, highest(value))
    return peak


_PHASES = interpolator(TRUE_PEAK_OVERSAMPLING, _TAPS_PER_PHASE)
_BOUND = between_bound(_PHASES[1:])


def true_peak_dbtp(samples: Samples) -> float:
    """Peak of the band-limited waveform between samples, dBTP, at eight times the rate (ITU-R
    BS.1770-5 annex 2).

    Samples ``(n,)``.
    """
    padded = np.zeros(len(samples) + 2 * _TAPS_PER_PHASE + 512)
    padded[_TAPS_PER_PHASE : _TAPS_PER_PHASE + len(samples)] = samples
    return amplitude_db(float(_interpolated_peak(padded, _PHASES, _BOUND, _absolute_peak(samples))))


def dc_offset(samples: Samples) -> float:
    """Mean of the samples, as a share of full scale. Samples ``(n,)``."""
    return float(samples.mean()) if len(samples) else 0.0


def without_offset(samples: Samples) -> Samples:
    """``(n,)`` samples without their mean, where that is over 0.1 % of full scale: no wave of a
    voice or a room, but a fault of the input that every level would count."""
    offset = dc_offset(samples)
    return samples - offset if abs(offset) > OFFSET_SHARE else samples


def peak_by_second_dbfs(samples: Samples, *, rate_hz: float) -> Samples:
    """Sample peak of each whole second, ``(seconds,)`` in dBFS."""
    second = round(rate_hz)
    whole = samples[: len(samples) // second * second].reshape(-1, second)
    return amplitude_db(np.abs(whole).max(axis=1)) if len(whole) else np.zeros(0)
