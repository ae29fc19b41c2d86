"""Two people at one desk: while only one talks, the other's microphone goes down by what was
measured of the spill.

A microphone holds its person's own voice where its bands are over what the other person's voice and
the rest explain. Who talks keeps it up; who does not goes down while the other one does, and comes
up at once, before the own beginning is heard: what is decided lies ahead of what it is applied to.
While nobody talks both are up.

Source: ``core/mix/spill.py``; Dugan (1975) for microphones that make room for each other.
"""

from __future__ import annotations

import math

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.kernel import kernel
from obsidian_wren.core.mix.spill import (
    BANDS,
    FALL_DB_S,
    MOST_BAND_DB,
    SpillPath,
    frame_sizes,
    levels_of,
)

# What is decided lies so far ahead: a frame, and what a soft beginning takes to be sure.
AHEAD_S = 0.022
# Who was silent so long goes down, while the other talked within so long.
_SILENT_S, _TALKED_S = 0.1, 0.4
_DOWN_S, _UP_S, _REST_S = 0.03, 0.002, 0.1
_LONG_AGO_S = 1e6
_LN10_OF_20 = math.log(10.0) / 20.0


# ``paths``: for each microphone the bands of the spill and of rest, the excess and the depth;
# ``memory``: how long its person was silent, how far down it is, its gain and the slope of that.
@kernel("void(f8[:,:,::1], f8[:,::1], f8[:,::1], f8[:,::1], f8[:,::1], f8[::1], i8, i8)")
def _follow(
    levels: Samples,
    paths: Samples,
    before: Samples,
    memory: Samples,
    gains: Samples,
    settings: Samples,
    ends: int,
    hop: int,
) -> None:
    fall, hop_s, down, up, rest = settings
    frames, count, done, bands = levels.shape[1], gains.shape[1], 0, levels.shape[2]
    for at in range(frames + 1):
        end = ends + at * hop if at < frames else count
        for place in range(2):
            for k in range(end - done):
                gains[place, done + k] = memory[place, 2] + memory[place, 3] * (k + 1)
            memory[place, 2] += memory[place, 3] * (end - done)
        done = end
        if at == frames:
            break
        for place in range(2):
            for band in range(bands):
                fallen = before[place, band] - fall
                before[place, band] = max(levels[place, at, band], fallen)
        for place in range(2):
            excess = 0.0
            for band in range(bands):
                spill = before[1 - place, band] + paths[place, band]
                over = levels[place, at, band] - max(spill, paths[place, bands + band])
                excess += min(max(over, 0.0), MOST_BAND_DB)
            talks = excess > paths[place, 2 * bands]
            memory[place, 0] = 0.0 if talks else memory[place, 0] + hop_s
        for place in range(2):
            silent_s = memory[place, 0]
            goes = silent_s > _SILENT_S and memory[1 - place, 0] < _TALKED_S
            share = down if goes else (up if silent_s == 0.0 else rest)
            memory[place, 1] += ((1.0 if goes else 0.0) - memory[place, 1]) * share
            wanted = math.exp(-_LN10_OF_20 * paths[place, 2 * bands + 1] * memory[place, 1])
            memory[place, 3] = (wanted - memory[place, 2]) / hop


class SpillGate:
    """``first``: the first person in the second's microphone; ``second``: the other way; the
    second microphone is by ``apart_s`` later, none where both are inputs of one device. The
    gains ``(2, n)`` that :meth:`process` gives for ``(n,)`` samples of both microphones belong to
    what these heard ``ahead_samples`` before."""

    def __init__(
        self, first: SpillPath, second: SpillPath, *, rate_hz: float, apart_s: float = 0.0
    ) -> None:
        self._rate_hz = rate_hz
        self._count, self._hop = frame_sizes(rate_hz)
        # The sooner microphone waits for the later one.
        waits = [round(max(0.0, apart_s) * rate_hz), round(max(0.0, -apart_s) * rate_hz)]
        self.ahead_samples = round(AHEAD_S * rate_hz) + max(waits)
        self._late = [np.zeros(wait) for wait in waits]
        # What the next frame begins with.
        self._tails = np.zeros((2, self._count - self._hop))
        # A microphone is reached by the other person's voice.
        self._paths = np.array(
            [
                [*path.bands_db, *path.rest_dbfs, path.excess_db, path.depth_db]
                for path in (second, first)
            ]
        )
        self._before = np.full((2, BANDS), -200.0)
        self._memory = np.array([[_LONG_AGO_S, 0.0, 1.0, 0.0]] * 2)
        hop_s = self._hop / rate_hz
        shares = [1.0 - math.exp(-hop_s / time_s) for time_s in (_DOWN_S, _UP_S, _REST_S)]
        self._settings = np.array([FALL_DB_S * hop_s, hop_s, *shares])

    @property
    def lowered_db(self) -> tuple[float, float]:
        """How far each microphone is down now, dB."""
        one, other = -20.0 * np.log10(self._memory[:, 2])
        return float(one), float(other)

    def process(self, first: Samples, second: Samples) -> Samples:
        """The gains of both microphones ``(2, n)``."""
        count = len(first)
        ends = self._count - self._tails.shape[1]
        heard = np.empty((2, self._tails.shape[1] + count))
        heard[:, : self._tails.shape[1]] = self._tails
        for place, block in enumerate((first, second)):
            late = np.concatenate([self._late[place], block])
            heard[place, -count:], self._late[place] = late[:count], late[count:]
        frames = (heard.shape[1] - self._count) // self._hop + 1
        levels = np.zeros((2, 0, BANDS))
        if frames > 0:
            starts = self._hop * np.arange(frames)
            cut = heard[:, starts[:, None] + np.arange(self._count)]
            levels = np.ascontiguousarray(levels_of(cut, self._rate_hz))
        self._tails = heard[:, max(frames, 0) * self._hop :]
        gains = np.empty((2, count))
        _follow(
            levels,
            self._paths,
            self._before,
            self._memory,
            gains,
            self._settings,
            ends,
            self._hop,
        )
        return gains
