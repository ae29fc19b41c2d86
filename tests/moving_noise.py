"""Noise that moves, made with seeds: nothing of it is recorded.

Keys, mouse, thumps on the desk, a door that slams, a dog, music and a street, each at 48 kHz with a
root mean square of one over the whole, in a room of its own seed.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import scipy

from obsidian_wren.core.decibels import Samples

RATE = 48_000
Maker = Callable[[np.random.Generator, float], Samples]


def _silence(seconds: float) -> Samples:
    return np.zeros(round(seconds * RATE))


def _add(out: Samples, at_s: float, sound: Samples) -> None:
    at = round(at_s * RATE)
    end = min(len(out), at + len(sound))
    if 0 <= at < end:
        out[at:end] += sound[: end - at]


def _ringing(
    rng: np.random.Generator, hz: tuple[float, float], decay_s: float, count: int
) -> Samples:
    """A knock: modes between two frequencies, each dying away."""
    t = np.arange(round(6.0 * decay_s * RATE)) / RATE
    out = np.zeros(len(t))
    for _mode in range(count):
        at_hz = np.exp(rng.uniform(*np.log(hz)))
        size, phase = rng.uniform(0.3, 1.0), rng.uniform(0.0, 2.0 * np.pi)
        out += (
            size
            * np.sin(2.0 * np.pi * at_hz * t + phase)
            * np.exp(-t / (decay_s * rng.uniform(0.5, 1.0)))
        )
    return out / count


def _band(rng: np.random.Generator, count: int, low_hz: float, high_hz: float) -> Samples:
    sections = scipy.signal.butter(2, [low_hz, high_hz], "bandpass", fs=RATE, output="sos")
    return np.asarray(scipy.signal.sosfilt(sections, rng.standard_normal(count)))


def keys(rng: np.random.Generator, seconds: float) -> Samples:
    """Somebody types: press, bottom and release of each key, in bursts of words."""
    out, at = _silence(seconds), rng.uniform(0.0, 0.5)
    while at < seconds:
        for _key in range(rng.integers(2, 9)):
            loud = rng.uniform(0.4, 1.0)
            _add(out, at, loud * _ringing(rng, (1500.0, 9000.0), 0.003, 12))
            _add(out, at + rng.uniform(0.005, 0.02), loud * _ringing(rng, (120.0, 900.0), 0.012, 6))
            _add(
                out,
                at + rng.uniform(0.06, 0.12),
                0.4 * loud * _ringing(rng, (2000.0, 9000.0), 0.002, 10),
            )
            at += rng.uniform(0.09, 0.24)
        at += rng.uniform(0.2, 1.2)
    return out


def mouse(rng: np.random.Generator, seconds: float) -> Samples:
    """Clicks of a mouse, single and double."""
    out, at = _silence(seconds), rng.uniform(0.0, 1.0)
    while at < seconds:
        for _click in range(rng.integers(1, 3)):
            _add(out, at, _ringing(rng, (2500.0, 8000.0), 0.0015, 8))
            _add(out, at + rng.uniform(0.05, 0.09), 0.7 * _ringing(rng, (3000.0, 9000.0), 0.001, 8))
            at += rng.uniform(0.16, 0.24)
        at += rng.uniform(0.3, 1.8)
    return out


def thumps(rng: np.random.Generator, seconds: float) -> Samples:
    """Knocks on the desk, and what stands on it."""
    out, at = _silence(seconds), rng.uniform(0.2, 1.0)
    while at < seconds:
        loud = rng.uniform(0.3, 1.0)
        _add(out, at, loud * _ringing(rng, (45.0, 220.0), 0.06, 5))
        _add(out, at, 0.25 * loud * _ringing(rng, (300.0, 2500.0), 0.012, 10))
        at += rng.uniform(0.4, 2.0)
    return out


def slam(rng: np.random.Generator, seconds: float) -> Samples:
    """A door, every few seconds."""
    out, at = _silence(seconds), rng.uniform(0.3, 2.0)
    while at < seconds:
        _add(out, at, _ringing(rng, (40.0, 400.0), 0.12, 12))
        tail = _band(rng, round(0.8 * RATE), 80.0, 3000.0)
        tail *= np.exp(-np.arange(len(tail)) / (0.09 * RATE))
        _add(out, at, 0.1 * tail)
        at += rng.uniform(2.0, 5.0)
    return out


def bark(rng: np.random.Generator, seconds: float) -> Samples:
    """A dog: a few barks, then none for a while."""
    out, at, pitch = _silence(seconds), rng.uniform(0.2, 1.5), rng.uniform(350.0, 700.0)
    formants = rng.uniform(0.8, 1.2) * np.array([900.0, 1700.0, 3000.0])
    while at < seconds:
        for _bark in range(rng.integers(1, 5)):
            length = rng.uniform(0.12, 0.28)
            t = np.arange(round(length * RATE)) / RATE
            bend = 1.0 + 0.35 * np.sin(np.pi * t / length) - 0.25 * t / length
            source = scipy.signal.sawtooth(2.0 * np.pi * np.cumsum(pitch * bend) / RATE)
            source += 0.6 * rng.standard_normal(len(t))
            voice = sum(
                scipy.signal.lfilter(*scipy.signal.iirpeak(hz, 4.0, fs=RATE), source)
                for hz in formants
            )
            _add(out, at, voice * np.sin(np.pi * np.minimum(1.0, t / length)) ** 0.7)
            at += length + rng.uniform(0.1, 0.35)
        at += rng.uniform(0.8, 3.0)
    return out


def music(rng: np.random.Generator, seconds: float) -> Samples:
    """A tune over chords, plucked, with a beat."""
    out, beat = _silence(seconds), 60.0 / rng.uniform(80.0, 140.0)
    root = rng.uniform(90.0, 180.0)
    scale = root * 2.0 ** (np.array([0, 2, 4, 5, 7, 9, 11, 12, 14, 16]) / 12.0)
    for step in range(int(seconds / beat) + 1):
        at = step * beat
        notes = [2.0 * rng.choice(scale), *(rng.choice(scale[:7], 2) if step % 2 == 0 else ())]
        for hz in notes:
            length = beat * rng.uniform(0.8, 1.8)
            t = np.arange(round(length * RATE)) / RATE
            tone = sum(np.sin(2.0 * np.pi * hz * k * t) / k**1.3 for k in range(1, 10))
            _add(out, at, 0.3 * tone * np.exp(-t / (0.5 * length)) * np.minimum(1.0, t / 0.005))
        _add(out, at, 0.8 * _ringing(rng, (50.0, 90.0), 0.06, 3))
        hat = rng.standard_normal(round(0.05 * RATE))
        hat *= np.exp(-np.arange(len(hat)) / (0.01 * RATE))
        _add(out, at + 0.5 * beat, 0.12 * np.diff(hat, prepend=0.0))
    return out


def street(rng: np.random.Generator, seconds: float) -> Samples:
    """Traffic: cars that come and go over a low roar."""
    count = round(seconds * RATE)
    out = 0.3 * _band(rng, count, 40.0, 500.0)
    at = rng.uniform(-1.0, 1.0)
    while at < seconds:
        length = rng.uniform(2.0, 5.0)
        t = np.arange(round(length * RATE)) / RATE
        near = 1.0 / (1.0 + ((t / length - 0.5) / 0.12) ** 2)
        car = _band(rng, len(t), 60.0, rng.uniform(900.0, 2500.0))
        motor = scipy.signal.sawtooth(2.0 * np.pi * rng.uniform(60.0, 120.0) * t)
        _add(out, at, (car + 0.15 * motor) * near)
        at += rng.uniform(0.8, 3.5)
    return out


MOVING: dict[str, Maker] = {
    "keys": keys,
    "mouse": mouse,
    "thumps": thumps,
    "slam": slam,
    "bark": bark,
    "music": music,
    "street": street,
}


def moving(kind: str, seed: int, seconds: float) -> Samples:
    """Noise of a kind ``(n,)`` as it is in a room of its seed."""
    # Not by the process's own hash of words.
    rng = np.random.default_rng([seed, sum(map(ord, kind))])
    return in_a_room(MOVING[kind](rng, seconds), rng)


def in_a_room(dry: Samples, rng: np.random.Generator) -> Samples:
    """A sound ``(n,)`` in a room that decays in 0.15 to 0.5 s, root mean square 1."""
    decay_s, near = rng.uniform(0.15, 0.5), rng.uniform(1.0, 3.0)
    tail = rng.standard_normal(round(decay_s * RATE))
    tail *= 10.0 ** (-3.0 * np.arange(len(tail)) / (decay_s * RATE))
    tail /= np.sqrt(np.sum(tail**2))
    tail[0] += near
    wet = scipy.signal.fftconvolve(dry, tail)[: len(dry)]
    return np.asarray(wet / np.sqrt(np.mean(wet**2)))
