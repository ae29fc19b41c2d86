"""Sound of our own making for what is heard beside the voice: music, a game, clips, and the
voices at the far end. Free of rights."""

from __future__ import annotations

from functools import lru_cache
from typing import Literal

import numpy as np
import scipy

from obsidian_wren.core.decibels import Samples
from obsidian_wren.simulation.acoustics import talker_sound

Clip = Literal["bell", "gull", "horn", "door"]
CLIPS: tuple[Clip, ...] = ("bell", "gull", "horn", "door")
_BEAT_S = 0.75
_CHORDS = (
    (146.83, 220.0, 293.66, 369.99),
    (123.47, 185.0, 246.94, 293.66),
    (98.0, 196.0, 246.94, 392.0),
    (110.0, 164.81, 277.18, 329.63),
)
_FAR = {"editor": ("passage", 0.86, -24.0), "crew": ("talk", 1.13, -18.0)}
_OCTAVE_UP_SHARE = 0.2


@lru_cache(maxsize=64)
def _pluck(hz: float, seconds: float, rate_hz: int) -> Samples:
    at = np.arange(round(seconds * rate_hz)) / rate_hz
    wave = np.zeros(len(at))
    for number in range(1, 7):
        if number * hz < 0.45 * rate_hz:
            wave += (
                np.sin(2.0 * np.pi * number * hz * at) * np.exp(-at * (1.5 + 1.2 * number)) / number
            )
    return wave * np.minimum(1.0, at / 0.004)


@lru_cache(maxsize=2)
def music(rate_hz: int) -> Samples:
    """Plucked chords in slow three, 36 s that join end to start, ``(n, 2)``; about −23 LUFS."""
    bars = 16
    count = round(bars * 3 * _BEAT_S * rate_hz)
    rng = np.random.default_rng(41)
    out = np.zeros((count, 2))
    for bar in range(bars):
        chord = _CHORDS[bar % len(_CHORDS)]
        for beat in range(6):
            hz = chord[(0, 2, 1, 3, 1, 2)[beat]] * (2.0 if rng.random() < _OCTAVE_UP_SHARE else 1.0)
            note = _pluck(hz, 2.4, rate_hz) * rng.uniform(0.7, 1.0)
            first = round((bar * 3 + beat / 2.0) * _BEAT_S * rate_hz)
            side = rng.uniform(0.3, 0.7)
            at = (first + np.arange(len(note))) % count
            out[at, 0] += note * np.sqrt(1.0 - side)
            out[at, 1] += note * np.sqrt(side)
    # Twenty notes take as much as the piece.
    _pluck.cache_clear()
    return np.asarray(out * (0.25 / np.abs(out).max()))


def deck(rate_hz: int) -> Samples:
    """What a second microphone on the deck hears beside strings, as long as :func:`music`
    ``(n,)``: hum of 50 Hz, knocks under 30 Hz."""
    count = len(music(rate_hz))
    at = np.arange(count) / rate_hz
    hum = sum(
        10.0 ** (level / 20.0) * np.sin(2.0 * np.pi * hz * at)
        for hz, level in ((50.0, -62.0), (100.0, -68.0), (150.0, -66.0))
    )
    swell = np.maximum(0.0, np.sin(2.0 * np.pi * at / 4.0)) ** 4
    return np.asarray(hum + 10.0 ** (-42.0 / 20.0) * swell * np.sin(2.0 * np.pi * 22.0 * at))


@lru_cache(maxsize=2)
def computer_sound(rate_hz: int) -> Samples:
    """A sailing game: wind, water along a hull, a winch now and then, 24 s ``(n, 2)``."""
    count = 24 * rate_hz
    rng = np.random.default_rng(43)
    at = np.arange(count) / rate_hz
    out = np.zeros((count, 2))
    for side in range(2):
        white = rng.standard_normal(count)
        wind = scipy.signal.sosfilt(
            scipy.signal.butter(2, (180.0, 700.0), "bandpass", fs=rate_hz, output="sos"), white
        )
        water = scipy.signal.sosfilt(
            scipy.signal.butter(
                2, (900.0, min(6000.0, 0.45 * rate_hz)), "bandpass", fs=rate_hz, output="sos"
            ),
            white,
        )
        swell = 0.6 + 0.4 * np.sin(2.0 * np.pi * at / 6.0 + side)
        out[:, side] = wind * (1.2 - 0.5 * swell) + 0.5 * water * swell**2
    for start in (3.0, 9.5, 17.0):
        first = round(start * rate_hz)
        ticks = np.zeros(round(1.5 * rate_hz))
        ticks[:: round(0.09 * rate_hz)] = 1.0
        click = np.exp(-np.arange(round(0.03 * rate_hz)) / (0.004 * rate_hz)) * rng.standard_normal(
            round(0.03 * rate_hz)
        )
        winch = np.convolve(ticks, click)[: len(ticks)]
        out[first : first + len(winch)] += winch[:, None] * 0.8
    return np.asarray(out * (0.2 / np.abs(out).max()))


@lru_cache(maxsize=8)
def clip(name: Clip, rate_hz: int) -> Samples:
    """A short sound of the river ``(n,)``."""
    rng = np.random.default_rng([47, CLIPS.index(name)])
    if name == "bell":
        at = np.arange(round(2.5 * rate_hz)) / rate_hz
        wave = sum(
            np.sin(2 * np.pi * hz * at) * np.exp(-at * fall)
            for hz, fall in ((523.0, 1.2), (1245.0, 2.0), (1890.0, 3.0), (2950.0, 5.0))
        )
    elif name == "gull":
        at = np.arange(round(1.4 * rate_hz)) / rate_hz
        hz = 1400.0 + 500.0 * np.abs(np.sin(2 * np.pi * 2.4 * at)) * np.exp(-at)
        wave = (
            np.sin(2 * np.pi * np.cumsum(hz) / rate_hz)
            * np.clip(np.sin(2 * np.pi * 2.4 * at), 0.0, 1.0)
            * np.clip((1.4 - at) / 0.1, 0.0, 1.0)
        )
    elif name == "horn":
        at = np.arange(round(1.8 * rate_hz)) / rate_hz
        wave = sum(
            np.sin(2 * np.pi * 147.0 * number * at) / number for number in range(1, 9)
        ) * np.clip(np.minimum(at, 1.8 - at) / 0.08, 0.0, 1.0)
    else:
        at = np.arange(round(1.0 * rate_hz)) / rate_hz
        creak = scipy.signal.sosfilt(
            scipy.signal.butter(2, (350.0, 1600.0), "bandpass", fs=rate_hz, output="sos"),
            rng.standard_normal(len(at)),
        )
        wave = (
            creak * np.clip(np.sin(2 * np.pi * (6.0 * at + 14.0 * at**2)), 0.0, 1.0) * np.exp(-at)
        )
    return np.asarray(wave * (0.5 / np.abs(wave).max()))


@lru_cache(maxsize=4)
def far_voice(who: str, rate_hz: int) -> Samples:
    """Someone at the far end ``(n,)``: another size of throat, another loudness; the editor's
    side hums. ``who``: editor or crew."""
    part, speed, level_db = _FAR[who]
    # Past its cache: the whole part is wanted once.
    spoken = talker_sound.__wrapped__(part, rate_hz)[: 25 * rate_hz]
    steps = np.arange(0.0, len(spoken) - 1, speed)
    voice = np.interp(steps, np.arange(len(spoken)), spoken)
    voice *= 10.0 ** (level_db / 20.0) / np.sqrt(2.0 * np.mean(voice**2))
    if who == "editor":
        at = np.arange(len(voice)) / rate_hz
        voice = voice + 10.0 ** (-46.0 / 20.0) * (
            np.sin(2 * np.pi * 100.0 * at) + 0.5 * np.sin(2 * np.pi * 200.0 * at)
        )
    return np.asarray(voice)
