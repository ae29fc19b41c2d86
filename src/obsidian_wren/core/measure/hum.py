"""Mains hum and its harmonics, and other steady tones.

Hum is a family of lines at whole multiples of one frequency near 50 or 60 Hz. It is reported only
when at least two members stand out of the noise beside them, so that a single tone at 150 Hz is a
tone and not hum. The mains wanders while a take is made; where it does, the take is played at the
speed of its own mains first, so that a line stays one line.

Source: IEC 60038 for the mains; ECMA-418-1 for prominence of tones.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy

from obsidian_wren.core.decibels import AES17_OFFSET_DB, Samples, power_db
from obsidian_wren.core.measure.lines import LINE_BINS as _LINE_BINS
from obsidian_wren.core.measure.mains import decimated, follow_mains
from obsidian_wren.core.measure.spectrum import Spectrum, power_spectrum
from obsidian_wren.core.record_types import Level

FRAME_S = 4.0
_DRIFT = 0.004
_HARMONICS = 20
_STANDS_OUT_DB = 8.0
_ONE_KHZ = 1000.0


@dataclass(frozen=True)
class Harmonic:
    """One line: frequency in Hz and AES17 level in dBFS, the noise beside it taken off."""

    hz: float
    level_dbfs: Level


@dataclass(frozen=True)
class Hum:
    """A hum family: measured mains frequency, level of all lines together, the lines, and how
    far the mains wandered in Hz."""

    mains_hz: float
    level_dbfs: Level
    harmonics: tuple[Harmonic, ...]
    drift_hz: float = 0.0


@dataclass(frozen=True)
class SteadyTone:
    """A steady tone with its level and its tone-to-noise ratio in dB (ECMA-418-1)."""

    hz: float
    level_dbfs: Level
    prominence_db: float


def line_spectrum(samples: Samples, *, rate_hz: float) -> Spectrum:
    """Spectrum fine enough to part mains harmonics:

    4 s Hann frames, or the whole take when it is shorter. Samples ``(n,)``.
    """
    return power_spectrum(samples, rate_hz=rate_hz, frame_s=FRAME_S)


def read_hum(samples: Samples, lines: Spectrum, *, rate_hz: float) -> Hum | None:
    """The hum family of ``(n,)`` samples, the mains allowed to wander by up to 0.4 %; ``lines`` is
    their :func:`line_spectrum`.

    The mains is followed in 2 s frames by its strongest line; when it wandered by more than lines
    are wide, time is stretched so that it stands still, and the family is measured there.
    ``mains_hz`` is then the mean over the take.
    """
    plain = find_hum(lines)
    if len(samples) < 6.0 * rate_hz or rate_hz < 8_000:
        return plain
    low, low_rate = decimated(samples, rate_hz)
    track = follow_mains(low, low_rate, reach=_DRIFT)
    if track is None:
        return plain
    at_s, mains_hz = track
    drift = float(mains_hz.max() - mains_hz.min())
    # The tenth line must not smear over more than a bin.
    if 10.0 * drift < lines.bin_hz:
        return plain
    mean = float(mains_hz.mean())
    time = np.arange(len(low)) / low_rate
    # The phase of the mains is the integral of its frequency; samples are taken where it has moved
    # by equal steps.
    phase = np.concatenate([[0.0], np.cumsum(np.interp(time, at_s, mains_hz)[:-1] / low_rate)])
    even = np.linspace(0.0, phase[-1], len(low))
    where = np.interp(even, phase, np.arange(len(low), dtype=float))
    still = scipy.ndimage.map_coordinates(low, where[None, :], order=5, mode="nearest")
    found = find_hum(line_spectrum(np.asarray(still), rate_hz=low_rate))
    if found is None or (plain is not None and plain.level_dbfs > found.level_dbfs + 1.0):
        return plain
    return Hum(round(mean, 2), found.level_dbfs, found.harmonics, round(drift, 3))


def _up_to(spectrum: Spectrum, high_hz: float) -> Spectrum:
    """The part that a search looks at: a median over all bins is the slowest thing here."""
    bins = int(np.searchsorted(spectrum.frequency_hz, high_hz))
    return Spectrum(spectrum.frequency_hz[:bins], spectrum.mean_square[:bins])


def _local_floor(spectrum: Spectrum, width_hz: float) -> Samples:
    """Median mean square of the bins around each bin: what is there without the line."""
    bins = max(9, round(width_hz / spectrum.bin_hz) | 1)
    return np.asarray(scipy.ndimage.median_filter(spectrum.mean_square, size=bins, mode="nearest"))


def _line(
    spectrum: Spectrum, floor: Samples, near_hz: float, search_hz: float
) -> tuple[float, float, float]:
    """Peak frequency, mean square over the floor, and how far its top stands out in dB, near a
    frequency."""
    low = max(1, int(np.floor((near_hz - search_hz) / spectrum.bin_hz)))
    high = int(np.ceil((near_hz + search_hz) / spectrum.bin_hz)) + 1
    window = spectrum.mean_square[low:high]
    top = low + int(window.argmax())
    around = slice(max(0, top - _LINE_BINS), top + _LINE_BINS + 1)
    part = spectrum.mean_square[around]
    # The median of an exponential spread lies under its mean; 1/ln 2 turns one into the other.
    noise = floor[around] / np.log(2.0)
    power = float(part.sum() - noise.sum())
    weights = np.maximum(part - noise, 0.0)
    frequency = (
        float(weights @ spectrum.frequency_hz[around] / weights.sum())
        if weights.sum() > 0
        else near_hz
    )
    stands_out = power_db(
        float(spectrum.mean_square[top] / max(float(noise[min(_LINE_BINS, len(noise) - 1)]), 1e-30))
    )
    return frequency, max(power, 0.0), stands_out


def find_hum(spectrum: Spectrum) -> Hum | None:
    """The hum family at 50 or 60 Hz, drift of 0.4 % allowed, or None.

    The spectrum comes from :func:`line_spectrum`.
    """
    spectrum = _up_to(spectrum, 60.0 * (_HARMONICS + 4))
    families = [found for mains in (50.0, 60.0) if (found := _family(spectrum, mains)) is not None]
    return max(families, key=lambda family: family.level_dbfs, default=None)


def _family(spectrum: Spectrum, mains_hz: float) -> Hum | None:
    floor = _local_floor(spectrum, 24.0)
    top_hz = float(spectrum.frequency_hz[-1]) - 50.0
    lines: list[tuple[int, float, float]] = []
    for number in range(1, _HARMONICS + 1):
        at = number * mains_hz
        if at > top_hz:
            break
        search = max(spectrum.bin_hz, at * _DRIFT)
        frequency, power, stands_out = _line(spectrum, floor, at, search)
        needed = _STANDS_OUT_DB + 10.0 * np.log10(max(1.0, search / spectrum.bin_hz / 4.0))
        if stands_out >= needed and power > 0.0 and abs(frequency - at) <= search + spectrum.bin_hz:
            lines.append((number, frequency, power))
    # Multiples of 300 Hz belong to both mains; they cannot tell which.
    telling = [n for n, _, _ in lines if (n * mains_hz) % 300.0]
    if len(telling) < 2 or min(n for n, _, _ in lines) > 3:
        return None
    powers = np.array([p for _, _, p in lines])
    estimates = np.array([f / n for n, f, _ in lines])
    orders = np.array([n for n, _, _ in lines], dtype=float)
    fundamental = float(np.average(estimates, weights=np.sqrt(powers) * orders))
    agree = [
        i
        for i, n in enumerate(orders)
        if abs(lines[i][1] - n * fundamental) <= spectrum.bin_hz * 1.5
    ]
    if len([i for i in agree if (orders[i] * mains_hz) % 300.0]) < 2:
        return None
    harmonics = tuple(
        Harmonic(round(lines[i][1], 2), power_db(lines[i][2]) + AES17_OFFSET_DB) for i in agree
    )
    level = power_db(float(powers[agree].sum())) + AES17_OFFSET_DB
    return Hum(round(fundamental, 2), level, harmonics)


def critical_bandwidth_hz(frequency_hz: float) -> float:
    """Width of the critical band around a frequency (ECMA-418-1, clause 10; Zwicker)."""
    return float(25.0 + 75.0 * (1.0 + 1.4 * (frequency_hz / 1000.0) ** 2) ** 0.69)


def prominent_db(frequency_hz: float) -> float:
    """Tone-to-noise ratio from which a tone counts as prominent:

    8 dB, more under 1 kHz (ECMA-418-1).
    """
    return 8.0 if frequency_hz >= _ONE_KHZ else 8.0 + 8.33 * float(np.log10(1000.0 / frequency_hz))


def find_tones(
    spectrum: Spectrum,
    hum: Hum | None,
    *,
    combs_hz: tuple[float, ...] = (),
    low_hz: float = 89.1,
    high_hz: float = 11_200.0,
) -> tuple[SteadyTone, ...]:
    """Prominent steady tones that belong to no hum family and to no comb of ``combs_hz`` spacing,
    loudest first, at most twelve.

    Prominence by the tone-to-noise ratio of ECMA-418-1.
    """
    spectrum = _up_to(spectrum, high_hz + 200.0)
    floor = _local_floor(spectrum, 80.0)
    inside = (spectrum.frequency_hz >= low_hz) & (
        spectrum.frequency_hz <= min(high_hz, spectrum.frequency_hz[-1] - 100.0)
    )
    rises = spectrum.mean_square > floor * 10.0 ** (_STANDS_OUT_DB / 10.0)
    peaks = (
        scipy.ndimage.maximum_filter1d(spectrum.mean_square, 2 * _LINE_BINS + 1)
        == spectrum.mean_square
    )
    members = [h.hz for h in hum.harmonics] if hum else []
    tones = []
    for index in np.flatnonzero(inside & rises & peaks):
        frequency, power, _ = _line(
            spectrum, floor, float(spectrum.frequency_hz[index]), spectrum.bin_hz
        )
        if power <= 0.0 or any(abs(frequency - m) < 3 * spectrum.bin_hz for m in members):
            continue
        if any(
            abs(frequency - round(frequency / comb) * comb) < 2.5 * spectrum.bin_hz
            for comb in combs_hz
        ):
            continue
        half = critical_bandwidth_hz(frequency) / 2.0
        around = (spectrum.frequency_hz >= frequency - half) & (
            spectrum.frequency_hz <= frequency + half
        )
        noise = max(float(spectrum.mean_square[around].sum()) - power, 1e-30)
        prominence = power_db(power / noise)
        if prominence >= prominent_db(frequency):
            tones.append(
                SteadyTone(round(frequency, 1), power_db(power) + AES17_OFFSET_DB, prominence)
            )
    return tuple(sorted(tones, key=lambda tone: -tone.level_dbfs)[:12])


def line_levels_dbfs(samples: Samples, at_hz: Samples, *, rate_hz: float) -> Samples:
    """AES17 levels of the lines at ``(lines,)`` frequencies in ``(n,)`` samples, the noise beside
    them taken off, dBFS ``(lines,)``; one that does not stand out is at −120."""
    spectrum = line_spectrum(samples, rate_hz=rate_hz)
    floor = _local_floor(spectrum, 24.0)
    powers = [
        _line(spectrum, floor, float(hz), max(spectrum.bin_hz, hz * _DRIFT))[1] for hz in at_hz
    ]
    return np.asarray(power_db(np.maximum(powers, 1e-13)) + AES17_OFFSET_DB, dtype=np.float64)


def beside_lines_dbfs(
    samples: Samples, at_hz: Samples, *, width_hz: float, rate_hz: float
) -> Samples:
    """AES17 levels of the noise in a width around ``(lines,)`` frequencies of ``(n,)`` samples, the
    lines themselves left out, dBFS ``(lines,)``."""
    spectrum = line_spectrum(samples, rate_hz=rate_hz)
    # The median of an exponential spread lies under its mean by ln 2.
    floor = _local_floor(spectrum, 24.0) / np.log(2.0)
    at = np.clip(np.round(at_hz / spectrum.bin_hz).astype(int), 0, len(floor) - 1)
    per_width = floor[at] * width_hz / spectrum.bin_hz
    return np.asarray(power_db(np.maximum(per_width, 1e-20)) + AES17_OFFSET_DB, dtype=np.float64)
