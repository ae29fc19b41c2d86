"""Signals whose levels are known because they are made here."""

from __future__ import annotations

import functools

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.simulation.acoustics import talker_sound

RATE = 48_000


def sine(
    hz: float, peak_dbfs: float, seconds: float, *, rate_hz: int = RATE, phase: float = 0.0
) -> Samples:
    at = np.arange(round(seconds * rate_hz)) / rate_hz
    return 10.0 ** (peak_dbfs / 20.0) * np.sin(2.0 * np.pi * hz * at + phase)


def noise(rms: float, seconds: float, *, rate_hz: int = RATE, seed: int = 0) -> Samples:
    drawn = np.random.default_rng(seed).standard_normal(round(seconds * rate_hz))
    return drawn * (rms / np.sqrt(np.mean(drawn**2)))


@functools.cache
def voice(part: str = "talk", *, peak: float = 0.25, rate_hz: int = RATE) -> Samples:
    """The talker, dry, at most 45 s, scaled to a sample peak."""
    samples = talker_sound(part, rate_hz)[: 45 * rate_hz]
    return samples * (peak / np.abs(samples).max())


def room(rms: float = 2e-4, seconds: float = 15.0, *, seed: int = 9) -> Samples:
    return noise(rms, seconds, seed=seed)


def babble(like: Samples, rms: float, seconds: float, *, seed: int = 5) -> Samples:
    """Steady noise with the spectrum of a sound."""
    count = round(seconds * RATE)
    drawn = np.fft.rfft(np.random.default_rng(seed).standard_normal(count))
    hz = np.linspace(0.0, 1.0, len(drawn))
    size = np.abs(np.fft.rfft(like))
    smooth = np.convolve(size, np.ones(401) / 401.0, "same")
    shaped = np.fft.irfft(drawn * np.interp(hz, np.linspace(0.0, 1.0, len(size)), smooth), count)
    return shaped * (rms / np.sqrt(np.mean(shaped**2)))
