"""How well a talk take is known while it grows: active level and peak percentile with their
standard errors.

The error comes from a jackknife over stretches of two seconds (Efron 1982): leave each out once and
see how far the answer moves.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.decibels import AES17_OFFSET_DB, Samples, power_db
from obsidian_wren.core.measure.speech import spoken_mask

STEADY_DB = 0.5
FRAME_S = 0.010
_STRETCH_S = 2.0
_PEAK_PERCENTILE = 95.0
_FEWEST_STRETCHES = 5
_NINE_IN_TEN = 1.645
_SAME_LEVEL_DB = 0.01


@dataclass(frozen=True)
class Steadiness:
    """Active level in dBFS (AES17) and the 95th percentile of active frame peaks in dBFS.

    Each has its error in dB: the half-width that holds the long-run value nine times in ten.
    ``steady`` when both are at most half a decibel. ``spoken_s`` counts active speech.
    """

    active_level_dbfs: float
    active_error_db: float
    peak_dbfs: float
    peak_error_db: float
    spoken_s: float
    steady: bool


def how_steady(frame_power: Samples, frame_peak_dbfs: Samples) -> Steadiness | None:
    """From the mean square and the sample peak of each 10 ms frame ``(frames,)``; None with under
    five stretches of speech.

    Speech frames lie within the P.56 margin under the active level, which is found by iterating
    from the plain mean.
    """
    if not len(frame_power) or frame_power.max() <= 0.0:
        return None
    level = power_db(float(frame_power.mean()))
    frame_db = power_db(np.maximum(frame_power, 1e-30))
    spoken = np.ones(len(frame_power), dtype=bool)
    for _ in range(12):
        spoken = spoken_mask(frame_db, level)
        refined = power_db(float(frame_power[spoken].mean()))
        if abs(refined - level) < _SAME_LEVEL_DB:
            break
        level = refined
    power, peaks = frame_power[spoken], frame_peak_dbfs[spoken]
    size = round(_STRETCH_S / FRAME_S)
    count = len(power) // size
    if count < _FEWEST_STRETCHES:
        return None
    power, peaks = power[: count * size], peaks[: count * size]
    stretches = power.reshape(count, size).sum(axis=1)
    left_out = power_db((stretches.sum() - stretches) / ((count - 1) * size))
    active_error = _NINE_IN_TEN * _jackknife(left_out)
    whole = np.arange(count * size)
    peak_left_out = np.array(
        [np.percentile(peaks[whole // size != k], _PEAK_PERCENTILE) for k in range(count)]
    )
    # A percentile jumps between neighbours when left out one by one; groups of stretches keep the
    # error honest.
    peak_error = _NINE_IN_TEN * max(
        _jackknife(peak_left_out), float(np.std(_by_thirds(peaks, size, count)) / np.sqrt(3.0))
    )
    return Steadiness(
        active_level_dbfs=level + AES17_OFFSET_DB,
        active_error_db=active_error,
        peak_dbfs=float(np.percentile(peaks, _PEAK_PERCENTILE)),
        peak_error_db=peak_error,
        spoken_s=float(np.count_nonzero(spoken)) * FRAME_S,
        steady=bool(active_error <= STEADY_DB and peak_error <= STEADY_DB),
    )


def _jackknife(left_out: Samples) -> float:
    count = len(left_out)
    return float(np.sqrt((count - 1) / count * np.square(left_out - left_out.mean()).sum()))


def _by_thirds(peaks: Samples, size: int, count: int) -> Samples:
    group = np.arange(count * size) // size % 3
    return np.array([np.percentile(peaks[group == k], _PEAK_PERCENTILE) for k in range(3)])


def frames_of(samples: Samples, *, rate_hz: float) -> tuple[Samples, Samples]:
    """Mean square and sample peak in dBFS of each whole 10 ms frame of ``(n,)`` samples."""
    size = round(FRAME_S * rate_hz)
    whole = samples[: len(samples) // size * size].reshape(-1, size)
    peaks = np.abs(whole).max(axis=1) if len(whole) else np.zeros(0)
    return np.asarray(np.mean(np.square(whole), axis=1)), np.asarray(
        20.0 * np.log10(np.maximum(peaks, 1e-10))
    )
