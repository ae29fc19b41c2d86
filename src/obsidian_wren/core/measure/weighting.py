"""Frequency weightings as plain functions of frequency, for use on spectra.

Readings are weighted in the frequency domain: a plain bilinear A-filter at 48 kHz leaves the class
1 limits above 8 kHz.
"""

from __future__ import annotations

import numpy as np

from obsidian_wren.core.decibels import Samples, power_db

A_POLES_HZ = (20.598997, 107.65265, 737.86223, 12194.217)


def _a_power(frequency_hz: Samples) -> Samples:
    f2 = np.square(frequency_hz)
    p1, p2, p3, p4 = np.square(A_POLES_HZ)
    return np.asarray(
        (p4 * f2 * f2 / ((f2 + p1) * np.sqrt((f2 + p2) * (f2 + p3)) * (f2 + p4))) ** 2
    )


def a_weighting_power(frequency_hz: Samples) -> Samples:
    """A-weighting as a power ratio, any shape, 1 at 1 kHz (IEC 61672-1, annex E).

    ``(n,)`` in, ``(n,)`` out.
    """
    return np.asarray(_a_power(frequency_hz) / _a_power(np.array(1000.0)))


def a_weighting_db(frequency_hz: Samples) -> Samples:
    """A-weighting in dB, any shape, 0 dB at 1 kHz (IEC 61672-1). ``(n,)`` in, ``(n,)`` out."""
    return power_db(a_weighting_power(frequency_hz))


def itu468_weighting_power(frequency_hz: Samples) -> Samples:
    """The weighting network of ITU-R BS.468-4 as a power ratio, any shape, 0 dB at 1 kHz, +12.2 dB
    at 6.3 kHz.

    The full method reads a quasi-peak detector behind this network; a level weighted with it alone
    is an RMS level. ``(n,)`` in, ``(n,)`` out.
    """
    f = np.asarray(frequency_hz, dtype=float)
    f2 = f * f
    h1 = 1.0 + f2 * (
        -1.363894795463638e-7 + f2 * (2.043828333606125e-15 - 4.737338981378384e-24 * f2)
    )
    h2 = f * (5.559488023498642e-4 + f2 * (-2.118150887518656e-11 + 1.306612257412824e-19 * f2))
    return np.asarray((1.246332637532143e-4 * f) ** 2 / (h1 * h1 + h2 * h2) * 10.0**1.82)
