"""How one microphone hears against another: the voice is the same, so it cancels.

At once, only moments count in which a band rises out of silence: its first milliseconds come
straight from the mouth, and the room, which each microphone hears in its own way, comes later. One
after the other, two readings of one sentence are compared. What is left of the room goes from band
to band, which no microphone does: bands help each other as far as each is certain.

Source: the precedence of the direct sound as in Bech and Zacharov (2006), chapter 9; Knapp and
Carter (1976) for the delay by the phase of the cross spectrum; Rasmussen and Williams (2006),
"Gaussian Processes for Machine Learning", chapter 2, for what lies between the bands.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy

from obsidian_wren.core.chain.filters import filtered
from obsidian_wren.core.decibels import Samples, power_db
from obsidian_wren.core.prove.change import compare
from obsidian_wren.core.prove.sounding import VOICE_HZ, Sounding

# Two microphones differ by this much, bending within half an octave, beside level and slope.
_APART_DB, _BENDS_OCTAVES = 4.0, 0.5
_LEVEL_DB, _SLOPE_DB = 20.0, 3.0
_KNOWN_BELOW_DB = 100.0


def likely_response(hz: Samples, db: Samples, error_db: Samples) -> tuple[Samples, Samples]:
    """The likeliest smooth response through bands ``(n,)`` at Hz, heard as ``db`` ``(n,)`` with
    standard errors ``error_db`` ``(n,)`` in dB, and its own standard errors ``(n,)``. A band that
    is not known stays as it is."""
    known = error_db < _KNOWN_BELOW_DB
    octaves = np.log2(hz[known] / 1000.0)
    apart = (octaves[:, None] - octaves[None, :]) / _BENDS_OCTAVES
    before = (
        _APART_DB**2 * np.exp(-0.5 * apart**2)
        + _LEVEL_DB**2
        + _SLOPE_DB**2 * np.outer(octaves, octaves)
    )
    gain = np.linalg.solve(before + np.diag(error_db[known] ** 2), before).T
    found, error = db.copy(), error_db.copy()
    found[known] = gain @ db[known]
    left = np.diag(before) - np.sum(gain * before, axis=1)
    error[known] = np.sqrt(np.maximum(left, 0.0))
    return found, error


_FRAME_S = 0.004
# Against the level from 12 to 60 ms before.
_BEFORE_FRAMES = (3, 15)
# The steepest rises first; where a take holds too few, less steep ones serve.
_RISES_DB, _ENOUGH = (18.0, 14.0, 10.0), 24
_OVER_NOISE_DB = 6.0
_OCTAVE = 1.0 / 6.0
# What is left of the room even in first milliseconds; smaller errors were seen to be exceeded.
_LEAST_ERROR_DB, _UNKNOWN_DB = 0.3, 1e3
# What the room adds to each moment is the same for many of them, so they are no free draws.
_ROOM_BETWEEN = 1.6
_LEVEL_HZ = (300.0, 3000.0)
_MOST_DELAY_S = 0.02
_PHASE_HZ = (200.0, 6000.0)
# A peak of the cross correlation this much over what is around it tells delay and polarity.
_CLEAR_OVER = 6.0
_BLOCK_S = 0.68


@dataclass(frozen=True)
class Relative:
    """The second microphone against the first: ``db`` ``(22,)`` at ``hz``, 0 on the mean from
    300 Hz to 3 kHz, with its standard error ``error_db`` (1000 where nothing is known);
    ``level_db`` the second's voice over the first's. At once, ``delay_samples`` by which the
    second is later, and whether it is ``inverted``; None where unknown."""

    hz: Samples
    db: Samples
    error_db: Samples
    level_db: float
    delay_samples: float | None
    inverted: bool | None
    at_once: bool


def at_once(
    first: tuple[Samples, Samples], second: tuple[Samples, Samples], *, rate_hz: float
) -> Relative:
    """Two microphones before one voice: room ``(n,)`` and talk ``(m,)`` of each, recorded together
    at one rate in Hz. Raises ValueError where the talks differ in length."""
    if len(first[1]) != len(second[1]):
        raise ValueError("both must be recorded together")
    delay, inverted = delay_and_polarity(first[1], second[1], rate_hz=rate_hz)
    lag = round(delay or 0.0)
    talks = (
        first[1][max(0, -lag) : len(first[1]) - max(0, lag)],
        second[1][max(0, lag) : len(second[1]) - max(0, -lag)],
    )
    db, error = np.full(len(VOICE_HZ), np.nan), np.full(len(VOICE_HZ), _UNKNOWN_DB)
    for k, hz in enumerate(VOICE_HZ):
        if hz * 2.0**_OCTAVE > 0.49 * rate_hz:
            continue
        powers = [_frames(sound, hz, rate_hz) for sound in talks]
        rooms = [float(np.mean(_frames(room, hz, rate_hz))) for room in (first[0], second[0])]
        found = _rising_ratio_db(powers[0], powers[1], rooms[0], rooms[1])
        if found is not None:
            db[k], error[k] = found
    return _levelled(db, error, delay, inverted, at_once=True)


def in_turn(first: Sounding, second: Sounding) -> Relative:
    """Two microphones one after the other, each with its own reading of one sentence, dB."""
    change = compare(first, second)
    voice = change.voice
    error = np.sqrt(np.diag(change.covariance)[voice])
    known = change.known[voice]
    return _levelled(
        np.where(known, change.db[voice], np.nan),
        np.where(known, error, _UNKNOWN_DB),
        None,
        None,
        at_once=False,
    )


def delay_and_polarity(
    first: Samples, second: Samples, *, rate_hz: float
) -> tuple[float | None, bool | None]:
    """By how many samples the second of two talks ``(n,)`` is later, to a fraction, and whether it
    is inverted; (None, None) where no delay of up to 20 ms stands out."""
    size = scipy.fft.next_fast_len(round(_BLOCK_S * rate_hz))
    hz = scipy.fft.rfftfreq(2 * size, 1.0 / rate_hz)
    inside = (hz >= _PHASE_HZ[0]) & (hz <= min(_PHASE_HZ[1], 0.45 * rate_hz))
    cross, own = np.zeros(len(hz), dtype=complex), np.zeros(len(hz))
    for start in range(0, len(first) - size + 1, size):
        x, y = (scipy.fft.rfft(s[start : start + size], 2 * size) for s in (first, second))
        cross += y * np.conj(x)
        own += np.abs(y) * np.abs(x)
    weight = np.where(inside, 1.0 / np.maximum(own, 1e-30), 0.0)
    found = scipy.fft.irfft(cross * weight)
    most = round(_MOST_DELAY_S * rate_hz)
    near = np.concatenate([found[-most:], found[: most + 1]])
    best = int(np.abs(near).argmax())
    usual = float(np.median(np.abs(near)))
    if usual <= 0.0 or abs(near[best]) < _CLEAR_OVER * usual:
        return None, None
    return best - most + _vertex(np.abs(near), best), bool(near[best] < 0.0)


def _vertex(values: Samples, best: int) -> float:
    """Where a parabola through a highest value and its neighbours peaks, −0.5 to 0.5 off it."""
    if not 0 < best < len(values) - 1:
        return 0.0
    left, middle, right = values[best - 1 : best + 2]
    bend = left - 2.0 * middle + right
    return float(np.clip(0.5 * (left - right) / bend, -0.5, 0.5)) if bend < 0.0 else 0.0


def _frames(samples: Samples, hz: float, rate_hz: float) -> Samples:
    """Powers of a third octave in frames of 4 ms."""
    sections = scipy.signal.butter(
        2, (hz * 2.0**-_OCTAVE, hz * 2.0**_OCTAVE), "bandpass", fs=rate_hz, output="sos"
    )
    power = filtered(sections, samples) ** 2
    size = round(_FRAME_S * rate_hz)
    return np.asarray(power[: len(power) // size * size].reshape(-1, size).mean(axis=1))


def _rising_ratio_db(
    first: Samples, second: Samples, first_room: float, second_room: float
) -> tuple[float, float] | None:
    """Second over first where the band rises, dB, with its standard error."""
    ago = np.zeros(_BEFORE_FRAMES[1])
    ago[_BEFORE_FRAMES[0] :] = 1.0 / (_BEFORE_FRAMES[1] - _BEFORE_FRAMES[0])
    was = np.convolve(first, ago)[: len(first)]
    clear = first > first_room * 10.0 ** (_OVER_NOISE_DB / 10.0)
    rising = clear
    for rise in _RISES_DB:
        rising = clear & (first > was * 10.0 ** (rise / 10.0))
        if np.count_nonzero(rising) >= _ENOUGH:
            break
    count = int(np.count_nonzero(rising))
    if count < _ENOUGH // 2:
        return None
    ours, theirs = first[rising] - first_room, second[rising] - second_room
    if theirs.sum() <= 0.0:
        return None
    ratio = float(power_db(theirs.sum() / ours.sum()))
    # Loud moments count more, so the error is that of a weighted mean.
    weight = ours / ours.sum()
    each = power_db(np.maximum(theirs, 1e-3 * ours * 10.0 ** (ratio / 10.0)) / ours)
    spread = float(np.sqrt(np.sum(weight**2 * (each - ratio) ** 2)))
    return ratio, float(np.hypot(_ROOM_BETWEEN * spread, _LEAST_ERROR_DB))


def _levelled(
    db: Samples,
    error: Samples,
    delay: float | None,
    inverted: bool | None,
    *,
    at_once: bool,
) -> Relative:
    db, error = likely_response(VOICE_HZ, db, error)
    middle = (VOICE_HZ >= _LEVEL_HZ[0]) & (VOICE_HZ <= _LEVEL_HZ[1]) & np.isfinite(db)
    level = float(np.mean(db[middle])) if middle.any() else 0.0
    return Relative(
        VOICE_HZ,
        np.where(np.isfinite(db), db - level, 0.0),
        error,
        level,
        delay,
        inverted,
        at_once,
    )
