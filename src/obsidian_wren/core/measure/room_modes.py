"""Resonances of a room, from the decay of a clap or a sweep: single tones that ring on when the
rest is gone.

Source: Kuttruff, "Room Acoustics", on modes under the Schroeder frequency: each decays by itself,
so it stands out late and lasts.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy

from obsidian_wren.core.decibels import Samples, power_db
from obsidian_wren.core.measure.spectrum import band_weights

_LOW_HZ, _HIGH_HZ = 50.0, 500.0
_FRAME_S, _HOP_S = 0.17, 0.02
_LATE_S = (0.15, 0.4)
# Late, and beside its neighbours within a third of an octave.
_STANDS_OUT_DB, _AROUND_OCTAVES = 8.0, 1.0 / 3.0
_LASTS = 1.25
_OVER_FLOOR_DB, _LEAST_POINTS = 8.0, 6
_MOST = 4


@dataclass(frozen=True)
class RoomMode:
    """One resonance: where, its decay to −60 dB in s, how far it stands over its neighbours late
    in the decay, and by how much it lifts its third octave over the octave around it in the whole
    of the sound, dB."""

    frequency_hz: float
    decay_s: float
    over_db: float
    adds_db: float


def find_modes(response: Samples, *, rate_hz: float) -> tuple[RoomMode, ...]:
    """The resonances in ``(n,)`` samples that hold an impulse and its decay, the strongest first,
    at most four."""
    length = 1 << round(float(np.log2(_FRAME_S * rate_hz)))
    hop = max(1, round(_HOP_S * rate_hz))
    start = int(np.abs(response).argmax())
    tail = response[start:]
    if len(tail) < length + hop * (_LATE_S[1] / _HOP_S):
        return ()
    frames = np.lib.stride_tricks.sliding_window_view(tail, length)[::hop] * np.hanning(length)
    level = power_db(np.abs(np.fft.rfft(frames, axis=1)) ** 2 + 1e-24)
    hz = np.fft.rfftfreq(length, 1.0 / rate_hz)
    at_s = np.asarray(np.arange(len(level)) * _HOP_S, dtype=np.float64)
    late = level[(at_s >= _LATE_S[0]) & (at_s <= _LATE_S[1])].mean(axis=0)
    floor = np.median(level[-max(2, len(level) // 5) :], axis=0)
    inside = np.flatnonzero((hz >= _LOW_HZ) & (hz <= _HIGH_HZ))
    decays = np.array([_decay_s(level[:, at], floor[at], at_s) for at in inside])
    usual = float(np.nanmedian(decays)) if np.isfinite(decays).any() else np.nan
    found = []
    peaks, _ = scipy.signal.find_peaks(late[inside])
    for peak in peaks:
        at = inside[peak]
        width = max(3, round(at * (2.0**_AROUND_OCTAVES - 1.0)))
        around = scipy.ndimage.median_filter(late, 2 * width + 1, mode="nearest")[at]
        over = float(late[at] - around)
        lasts = decays[max(0, peak - 1) : peak + 2]
        decay = float(np.nanmax(lasts)) if np.isfinite(lasts).any() else np.nan
        if over >= _STANDS_OUT_DB and decay >= _LASTS * usual:
            frequency = _between(late, at) * rate_hz / length
            found.append(RoomMode(frequency, decay, over, _adds_db(tail, frequency, rate_hz)))
    return tuple(sorted(found, key=lambda mode: -mode.over_db)[:_MOST])


def _adds_db(tail: Samples, frequency_hz: float, rate_hz: float) -> float:
    """The third octave of a resonance against those half an octave beside it."""
    power = np.abs(np.fft.rfft(tail)) ** 2
    hz = np.asarray(np.fft.rfftfreq(len(tail), 1.0 / rate_hz), dtype=np.float64)
    centres = frequency_hz * 2.0 ** np.array([-0.5, 0.0, 0.5])
    level = np.asarray(power_db(band_weights(hz, centres) @ power / centres + 1e-30))
    return float(level[1] - 0.5 * (level[0] + level[2]))


def _decay_s(level_db: Samples, floor_db: float, at_s: Samples) -> float:
    """The decay of one line; not a number where too little of it stands over the floor."""
    above = np.flatnonzero(level_db < floor_db + _OVER_FLOOR_DB)
    end = int(above[0]) if len(above) else len(level_db)
    if end < _LEAST_POINTS:
        return float("nan")
    slope = float(np.polyfit(at_s[:end], level_db[:end], 1)[0])
    return -60.0 / slope if slope < 0.0 else float("nan")


def _between(level_db: Samples, at: int) -> float:
    bend = level_db[at - 1] - 2.0 * level_db[at] + level_db[at + 1]
    return float(at + 0.5 * (level_db[at - 1] - level_db[at + 1]) / bend)
