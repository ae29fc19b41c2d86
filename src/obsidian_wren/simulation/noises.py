"""What sounds in the room beside the voice: broadband noise, hum and whine,
clicks, and what the microphone makes itself."""

from __future__ import annotations

import numpy as np
import scipy
import scipy.fft

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.weighting import a_weighting_power
from obsidian_wren.simulation.acoustics import bins_for, pascals, shaped_spectrum
from obsidian_wren.simulation.spec import (
    NoiseSpec,
)

_TURN_POINTS = 65_536
_HEATER = (
    (10.0, -12.0),
    (40.0, 0.0),
    (120.0, -3.0),
    (300.0, -10.0),
    (1000.0, -22.0),
    (4000.0, -36.0),
    (20000.0, -55.0),
)

_RAIN = (
    (10.0, -60.0),
    (200.0, -30.0),
    (1000.0, -8.0),
    (3500.0, 0.0),
    (9000.0, -4.0),
    (20000.0, -16.0),
)


def noise_pascals(
    noise: NoiseSpec, count: int, rate_hz: float, rng: np.random.Generator
) -> tuple[Samples | None, Samples | None]:
    """Pressure of one noise source:

    ``(count,)`` samples, or its bins at :func:`bins_for` where it is drawn as a spectrum.
    """
    level = pascals(noise.level_db_spl)
    corners = noise.spectrum_db or {"heater": _HEATER, "rain": _RAIN}.get(noise.kind)
    if corners:
        return None, shaped_spectrum(bins_for(count, rate_hz), rng, corners) * level
    match noise.kind:
        case "hum":
            return _hum(noise, count, rate_hz, rng), None
        case "clicks":
            return _clicks(noise, count, rate_hz, rng), None
        case "knocks":
            return _knocks(noise, count, rate_hz, rng), None
        case "bark":
            return _barks(noise, count, rate_hz, rng), None
        case "passing":
            return _passing(noise, count, rate_hz, rng), None
        case "tone":
            return _lines(noise, 1, count, rate_hz, rng), None
        case "comb":
            return _lines(noise, noise.lines, count, rate_hz, rng), None
    return np.asarray(rng.standard_normal(count) * level), None


def _hum(noise: NoiseSpec, count: int, rate_hz: float, rng: np.random.Generator) -> Samples:
    at = np.arange(count) / rate_hz
    # The mains wanders there and back once in two minutes.
    turns = noise.mains_hz * at + noise.drift_hz * 60.0 / np.pi * (1.0 - np.cos(np.pi * at / 60.0))
    powers = 10.0 ** (np.array(noise.harmonics_db) / 10.0)
    powers /= powers.sum()
    # One turn of all harmonics together, close enough to read between its points to 120 dB under
    # them.
    around = 2.0 * np.pi * np.arange(_TURN_POINTS + 1) / _TURN_POINTS
    turn = np.zeros(_TURN_POINTS + 1)
    for number, power in enumerate(powers, 1):
        if number * noise.mains_hz < rate_hz / 2:
            turn += np.sqrt(2.0 * power) * np.sin(number * around + rng.uniform(0, 2 * np.pi))
    place = (turns % 1.0) * _TURN_POINTS
    below = place.astype(np.int64)
    wave = turn[below] + (place - below) * np.diff(turn, append=turn[1])[below]
    return np.asarray(wave * pascals(noise.level_db_spl))


def _lines(
    noise: NoiseSpec, lines: int, count: int, rate_hz: float, rng: np.random.Generator
) -> Samples:
    """Lines of equal power at multiples of one frequency, together at the source's level."""
    at = np.arange(count) / rate_hz
    wave = np.zeros(count)
    for number in range(1, lines + 1):
        phase = rng.uniform(0, 2 * np.pi)
        if number * noise.frequency_hz < 0.45 * rate_hz:
            wave += np.sin(2 * np.pi * number * noise.frequency_hz * at + phase)
    return np.asarray(wave * np.sqrt(2.0 / lines) * pascals(noise.level_db_spl))


def _clicks(noise: NoiseSpec, count: int, rate_hz: float, rng: np.random.Generator) -> Samples:
    wave = np.zeros(count + round(rate_hz))
    seconds = count / rate_hz
    events = max(1, round(noise.per_minute * seconds / 60.0)) if noise.per_minute else 0
    # Evenly spread with jitter, so that the number of separate clicks is the spec's.
    starts = (np.arange(events) + rng.uniform(0.2, 0.8, events)) * seconds / max(events, 1)
    length = round(0.012 * rate_hz)
    fall = np.exp(-np.arange(length) / (0.0025 * rate_hz))
    band = scipy.signal.butter(
        2, (1200.0, min(7000.0, 0.45 * rate_hz)), "bandpass", fs=rate_hz, output="sos"
    )
    for start in starts:
        click = scipy.signal.sosfilt(band, rng.standard_normal(length)) * fall
        click *= (
            np.sqrt(2.0)
            * pascals(noise.level_db_spl)
            / np.max(np.abs(click))
            * rng.uniform(0.7, 1.0)
        )
        first = round(start * rate_hz)
        wave[first : first + length] += click
    return wave[:count]


def _knocks(noise: NoiseSpec, count: int, rate_hz: float, rng: np.random.Generator) -> Samples:
    """Wood on wood: a few modes that die away, evenly spread with jitter."""
    wave = np.zeros(count + round(rate_hz))
    seconds = count / rate_hz
    events = max(1, round(noise.per_minute * seconds / 60.0)) if noise.per_minute else 0
    at = np.arange(round(0.5 * rate_hz)) / rate_hz
    for number in range(events):
        knock = np.zeros(len(at))
        for hz in np.exp(rng.uniform(np.log(110.0), np.log(900.0), 8)):
            size, decay = rng.uniform(0.3, 1.0), rng.uniform(0.03, 0.09)
            knock += size * np.sin(2.0 * np.pi * hz * at) * np.exp(-at / decay)
        knock *= np.sqrt(2.0) * pascals(noise.level_db_spl) / np.max(np.abs(knock))
        first = round((number + rng.uniform(0.2, 0.8)) * seconds / events * rate_hz)
        wave[first : first + len(at)] += knock * rng.uniform(0.6, 1.0)
    return wave[:count]


def _barks(noise: NoiseSpec, count: int, rate_hz: float, rng: np.random.Generator) -> Samples:
    """A dog some way off: a rough tone that bends, through three formants, evenly spread with
    jitter."""
    wave = np.zeros(count + round(rate_hz))
    seconds = count / rate_hz
    events = max(1, round(noise.per_minute * seconds / 60.0)) if noise.per_minute else 0
    pitch = rng.uniform(380.0, 620.0)
    formants = rng.uniform(0.85, 1.15) * np.array([900.0, 1_700.0, 3_000.0])
    for number in range(events):
        length = rng.uniform(0.14, 0.26)
        at = np.arange(round(length * rate_hz)) / rate_hz
        bend = 1.0 + 0.3 * np.sin(np.pi * at / length) - 0.2 * at / length
        rough = scipy.signal.sawtooth(2.0 * np.pi * np.cumsum(pitch * bend) / rate_hz)
        rough += 0.5 * rng.standard_normal(len(at))
        bark = sum(
            scipy.signal.lfilter(*scipy.signal.iirpeak(hz, 4.0, fs=rate_hz), rough)
            for hz in formants
        )
        bark *= np.sin(np.pi * at / length) ** 0.7
        bark *= np.sqrt(2.0) * pascals(noise.level_db_spl) / np.max(np.abs(bark))
        first = round((number + rng.uniform(0.2, 0.8)) * seconds / events * rate_hz)
        wave[first : first + len(at)] += bark * rng.uniform(0.6, 1.0)
    return wave[:count]


def _passing(noise: NoiseSpec, count: int, rate_hz: float, rng: np.random.Generator) -> Samples:
    """A motor on the water, its strokes under its wash, that swells and fades."""
    at = np.arange(count) / rate_hz
    times = max(1, round(noise.per_minute * count / rate_hz / 60.0))
    near = np.zeros(count)
    for number in range(times):
        middle = (number + rng.uniform(0.3, 0.7)) * count / rate_hz / times
        near += 1.0 / (1.0 + ((at - middle) / rng.uniform(1.2, 2.0)) ** 2)
    band = scipy.signal.butter(
        1, (150.0, min(2500.0, 0.45 * rate_hz)), "bandpass", fs=rate_hz, output="sos"
    )
    wash = scipy.signal.sosfilt(band, rng.standard_normal(count))
    strokes = 1.0 + 0.7 * np.sin(2.0 * np.pi * 34.0 * at + rng.uniform(0.0, 6.0))
    wave = near * strokes * wash
    return np.asarray(wave * pascals(noise.level_db_spl) / np.sqrt(np.mean(wash**2)))


def self_noise_pascals(
    self_noise_dba: float, count: int, rate_hz: float, rng: np.random.Generator
) -> Samples:
    """White self-noise of a microphone, scaled so that its A-weighted level is the data sheet's."""
    hz = np.linspace(0.0, rate_hz / 2.0, 4097)
    weighted_share = float(np.mean(a_weighting_power(np.maximum(hz, 1e-3))))
    return np.asarray(
        rng.standard_normal(count) * pascals(self_noise_dba) / np.sqrt(weighted_share)
    )
