"""Where words lie in a take: runs of sound that a pause of 60 ms or more parts.

Words spoken in one breath count as one.

Source: practice: a pause inside speech lasts 60 ms or more (Rabiner and Sambur 1975 for end
points).
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np
import scipy

from obsidian_wren.core.chain.filters import filtered
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure import speech
from obsidian_wren.core.measure.levels import frame_levels_dbfs

FRAME_S = 0.005
_OVER_ROOM_DB, _EDGE_OVER_ROOM_DB = 10.0, 6.0
_UNDER_ACTIVE_DB, _EDGE_UNDER_ACTIVE_DB = 30.0, 38.0
_PART_S, _SHORTEST_S, _FARTHEST_EDGE_S = 0.06, 0.05, 0.15
_LOWEST_HZ = 80.0
_SELDOM, _SILENT = 95.0, -200.0
# A knock is as short as a word may be, and stands alone; a word's loudest part lies near the
# voice's level.
_LOUDEST_UNDER_ACTIVE_DB = 20.0


@dataclass(frozen=True)
class Word:
    """A run of speech, seconds from the start of the take."""

    start_s: float
    end_s: float


def seldom_exceeded_dbfs(room: Samples, *, rate_hz: float) -> float:
    """The level that 5 ms frames of a room ``(n,)`` seldom exceed, dBFS (AES17)."""
    frames = frame_levels_dbfs(room, rate_hz=rate_hz, frame_s=FRAME_S)
    return float(np.percentile(np.maximum(frames, _SILENT), _SELDOM)) if len(frames) else _SILENT


def find_words(samples: Samples, *, rate_hz: float, room_dbfs: float) -> tuple[Word, ...]:
    """Words in ``(n,)`` samples of talk; ``room_dbfs`` is a level that the room seldom exceeds in 5
    ms frames (AES17).

    The body of a word stands 10 dB over the room; its edges are followed down to 6 dB over it, at
    most 150 ms.
    """
    active = speech.active_level(samples, rate_hz=rate_hz).level_dbfs
    if not np.isfinite(active):
        return ()
    sections = scipy.signal.butter(2, _LOWEST_HZ, "highpass", fs=rate_hz, output="sos")
    high = filtered(sections, samples)
    levels = frame_levels_dbfs(high, rate_hz=rate_hz, frame_s=FRAME_S)
    body = levels > max(room_dbfs + _OVER_ROOM_DB, active - _UNDER_ACTIVE_DB)
    edge = levels > max(room_dbfs + _EDGE_OVER_ROOM_DB, active - _EDGE_UNDER_ACTIVE_DB)
    runs = _joined([_stretched(first, last, edge) for first, last in speech.runs(body)])
    return tuple(
        Word(first * FRAME_S, last * FRAME_S)
        for first, last in runs
        if (last - first) * FRAME_S >= _SHORTEST_S
        and levels[first:last].max() > active - _LOUDEST_UNDER_ACTIVE_DB
    )


def _stretched(first: int, last: int, edge: np.ndarray) -> tuple[int, int]:
    most = round(_FARTHEST_EDGE_S / FRAME_S)
    earliest, latest = max(0, first - most), min(len(edge), last + most)
    while first > earliest and edge[first - 1]:
        first -= 1
    while last < latest and edge[last]:
        last += 1
    return first, last


def _joined(runs: list[tuple[int, int]]) -> list[tuple[int, int]]:
    joined: list[tuple[int, int]] = []
    for first, last in runs:
        if joined and (first - joined[-1][1]) * FRAME_S < _PART_S:
            joined[-1] = joined[-1][0], max(last, joined[-1][1])
        else:
            joined.append((first, last))
    return joined


def pauses_s(words: tuple[Word, ...]) -> Samples:
    """Lengths of the pauses between words, ``(words − 1,)``."""
    return np.array([after.start_s - before.end_s for before, after in itertools.pairwise(words)])


def within(words: tuple[Word, ...], times_s: np.ndarray) -> np.ndarray:
    """Which of ``(n,)`` moments fall inside a word, bool ``(n,)``."""
    starts, ends = np.array([w.start_s for w in words]), np.array([w.end_s for w in words])
    if not len(starts):
        return np.zeros(len(times_s), dtype=bool)
    at = np.searchsorted(starts, times_s, side="right") - 1
    return (at >= 0) & (times_s < ends[np.maximum(at, 0)])
