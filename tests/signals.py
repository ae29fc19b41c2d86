"""Signals whose levels are known because they are made here."""

from __future__ import annotations

import functools

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.standins.acoustics import talker_sound

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
