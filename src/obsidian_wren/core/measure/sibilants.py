"""Sibilants: every "s", "sh" and "t" of a take, its frequency, and how loud the ear finds it
beside its neighbours.

Source: ITU-R BS.1770-4 (K-weighting) for how loud it is heard; practice for the rest.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
import scipy

from obsidian_wren.core.chain.filters import response_db
from obsidian_wren.core.decibels import AES17_OFFSET_DB, Samples, power_db
from obsidian_wren.core.measure.loudness import k_weighting_sections

FRAME_S, HOP_S = 0.0213, 0.005
_HISS_HZ, _VOICE_HZ = (3500.0, 14_000.0), (150.0, 3000.0)
# Where a hiss is strongest is looked for as the ear has it, in third octaves, where fricatives lie.
_STRONGEST_HZ = (4500.0, 10_000.0)
_HALF_THIRD = 2.0 ** (1.0 / 6.0)
_OVER_VOICE_DB = 3.0
_OVER_ROOM_DB = 12.0
_UNDER_LOUDEST_DB = 35.0
_SHORTEST_S, _STOP_S, _LONGEST_S = 0.012, 0.045, 0.4
_NEIGHBOURS_S = 0.25
# So many stay in a processor's cache.
_FRAMES_AT_ONCE = 64


@dataclass(frozen=True)
class Sibilant:
    """One hiss: when, how long, whether it lasts like an "s" or is over like a "t"; its strongest
    third octave from 4.5 to 10 kHz, Hz.

    ``level_db`` and ``neighbours_db`` are K-weighted (ITU-R BS.1770-5), as loudness is: the hiss at
    its loudest 20 ms, and the mean of the voiced speech within a quarter of a second to either
    side.
    """

    at_s: float
    length_s: float
    sort: Literal["s", "t"]
    frequency_hz: float
    level_db: float
    neighbours_db: float

    @property
    def over_neighbours_db(self) -> float:
        """How far the hiss stands over the speech beside it, as the ear weighs both."""
        return self.level_db - self.neighbours_db


def find_sibilants(samples: Samples, *, rate_hz: float) -> tuple[Sibilant, ...]:
    """Sibilants in ``(n,)`` samples of talk."""
    length = 1 << round(np.log2(FRAME_S * rate_hz))
    hop = max(1, round(HOP_S * rate_hz))
    if len(samples) < 4 * length or rate_hz < 16_000:
        return ()
    hz = scipy.fft.rfftfreq(length, 1.0 / rate_hz)
    weight = 10.0 ** (
        response_db(k_weighting_sections(rate_hz), np.maximum(hz, 1.0), rate_hz=rate_hz) / 10.0
    )
    hiss_bins = _between(hz, _HISS_HZ[0], min(_HISS_HZ[1], 0.46 * rate_hz))
    voice_bins = _between(hz, *_VOICE_HZ)
    powers, hisses, voices, peaks = _frames(samples, length, hop, weight, hiss_bins, voice_bins, hz)
    hiss_db, voice_db, level_db = (
        power_db(hisses + 1e-20),
        power_db(voices + 1e-20),
        power_db(powers + 1e-20) + AES17_OFFSET_DB,
    )
    floor = float(np.percentile(hiss_db, 10))
    hissing = (
        (hiss_db > voice_db + _OVER_VOICE_DB)
        & (hiss_db > floor + _OVER_ROOM_DB)
        & (hiss_db > hiss_db.max() - _UNDER_LOUDEST_DB)
    )
    voiced = (voice_db > hiss_db) & (level_db > float(np.percentile(level_db, 95)) - 20.0)
    return tuple(_events(hissing, voiced, hiss_db, level_db, peaks))


def _between(hz: Samples, low_hz: float, high_hz: float) -> slice:
    return slice(int(np.searchsorted(hz, low_hz)), int(np.searchsorted(hz, high_hz, side="right")))


def _frames(
    samples: Samples,
    length: int,
    hop: int,
    weight: Samples,
    hiss_bins: slice,
    voice_bins: slice,
    hz: Samples,
) -> tuple[Samples, Samples, Samples, Samples]:
    """K-weighted power, hiss power, voice power and the hiss's strongest frequency of each
    frame."""
    window = np.hanning(length + 1)[:-1].astype(np.float32)
    scale = 2.0 / (length * float(window @ window))
    frames = np.lib.stride_tricks.sliding_window_view(samples.astype(np.float32), length)[::hop]
    centres = np.flatnonzero((hz >= _STRONGEST_HZ[0]) & (hz <= min(_STRONGEST_HZ[1], hz[-1] * 0.9)))
    low = np.searchsorted(hz, hz[centres] / _HALF_THIRD)
    high = np.searchsorted(hz, np.minimum(hz[centres] * _HALF_THIRD, hz[-1]))
    rows: list[tuple[Samples, ...]] = []
    for first in range(0, len(frames), _FRAMES_AT_ONCE):
        bins = scipy.fft.rfft(frames[first : first + _FRAMES_AT_ONCE] * window, axis=1)
        squares = np.square(bins.view(np.float32))
        power = (squares[:, ::2] + squares[:, 1::2]).astype(np.float64)
        power *= scale
        hiss = power[:, hiss_bins]
        hiss_power, voice_power = hiss.sum(axis=1), power[:, voice_bins].sum(axis=1)
        wanted = hiss_power > voice_power
        peaks = np.zeros(len(power))
        sums = np.cumsum(power[wanted], axis=1)
        peaks[wanted] = hz[centres][(sums[:, high] - sums[:, low]).argmax(axis=1)]
        rows.append((power @ weight, hiss_power, voice_power, peaks))
    return tuple(np.concatenate(column) for column in zip(*rows, strict=True))  # type: ignore[return-value]


def _events(
    hissing: np.ndarray, voiced: np.ndarray, hiss_db: Samples, level_db: Samples, peaks: Samples
) -> list[Sibilant]:
    change = np.diff(np.concatenate([[0], hissing.astype(np.int8), [0]]))
    near = round(_NEIGHBOURS_S / HOP_S)
    found = []
    for first, last in zip(
        np.flatnonzero(change == 1).tolist(), np.flatnonzero(change == -1).tolist(), strict=True
    ):
        seconds = (last - first) * HOP_S
        beside = np.concatenate(
            [np.arange(max(0, first - near), first), np.arange(last, min(len(voiced), last + near))]
        )
        beside = beside[voiced[beside]]
        if not _SHORTEST_S <= seconds <= _LONGEST_S or not len(beside):
            continue
        loudest = first + int(level_db[first:last].argmax())
        frequency = float(
            np.average(peaks[first:last], weights=10.0 ** (hiss_db[first:last] / 10.0))
        )
        neighbours = power_db(float(np.mean(10.0 ** (level_db[beside] / 10.0))))
        sort: Literal["s", "t"] = "t" if seconds < _STOP_S else "s"
        found.append(
            Sibilant(
                float(first * HOP_S),
                float(seconds),
                sort,
                frequency,
                float(level_db[loudest]),
                neighbours,
            )
        )
    return found
