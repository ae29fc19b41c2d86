"""Decibels and the full-scale convention that every level here follows.

AES17: a sine whose peaks touch full scale reads 0 dBFS RMS, so RMS levels carry +3.01 dB. Peaks are
plain sample values.

>>> round(rms_level_dbfs(0.5), 2)
0.0

Source: AES17 for the full-scale sine; by definition otherwise.
"""

from __future__ import annotations

import math
from typing import overload

import numpy as np
import numpy.typing as npt

Samples = npt.NDArray[np.float64]

SILENCE_DB = -math.inf
AES17_OFFSET_DB = 10.0 * math.log10(2.0)
_TINY = 1e-30


@overload
def power_db(power: float) -> float: ...
@overload
def power_db(power: Samples) -> Samples: ...
def power_db(power: float | Samples) -> float | Samples:
    """Ten times the decimal logarithm of a power ratio; zero gives minus infinity (any shape).

    ``power`` ``(n,)`` or one number.
    """
    if isinstance(power, np.ndarray):
        with np.errstate(divide="ignore"):
            return np.asarray(10.0 * np.log10(np.maximum(power, 0.0)))
    return 10.0 * math.log10(power) if power > _TINY else SILENCE_DB


@overload
def amplitude_db(amplitude: float) -> float: ...
@overload
def amplitude_db(amplitude: Samples) -> Samples: ...
def amplitude_db(amplitude: float | Samples) -> float | Samples:
    """Twenty times the decimal logarithm of an amplitude ratio; zero gives minus infinity (any
    shape).

    ``amplitude`` ``(n,)`` or one number.
    """
    if isinstance(amplitude, np.ndarray):
        with np.errstate(divide="ignore"):
            return np.asarray(20.0 * np.log10(np.abs(amplitude)))
    return 20.0 * math.log10(abs(amplitude)) if abs(amplitude) > _TINY else SILENCE_DB


def amplitude_from_db(level_db: float) -> float:
    """The amplitude ratio of a level in dB."""
    return float(10.0 ** (level_db / 20.0))


def power_from_db(level_db: float) -> float:
    """The power ratio of a level in dB."""
    return float(10.0 ** (level_db / 10.0))


def rms_level_dbfs(mean_square: float) -> float:
    """AES17 level of a mean square, dBFS: 0 for a full-scale sine (mean square 0.5).

    ``mean_square`` in full scale squared.
    """
    return power_db(mean_square) + AES17_OFFSET_DB
