"""How loud each word of a voice gets: what an activation threshold has to lie under."""

from __future__ import annotations

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.levels import frame_levels_dbfs, rms_dbfs
from obsidian_wren.core.measure.words import Word, find_words

_FRAME_S = 0.02
# A room behind a gate is next to nothing; words are looked for well over it.
_LEAST_ROOM_DBFS = -90.0
_OVER_ROOM_DB = 6.0
# Without a take of the room: the quietest moments of the talk.
_QUIETEST = 5


def room_behind_dbfs(room: Samples | None, voice: Samples, *, rate_hz: float) -> float:
    """Level of the room behind a chain, dBFS (AES17): of the room's own take ``(m,)``, or of the
    quietest moments of the ``voice`` ``(n,)`` where there is none. Practice."""
    if room is not None and len(room):
        return max(_LEAST_ROOM_DBFS, rms_dbfs(room))
    levels = frame_levels_dbfs(voice, rate_hz=rate_hz, frame_s=_FRAME_S)
    if not len(levels):
        return _LEAST_ROOM_DBFS
    return max(_LEAST_ROOM_DBFS, float(np.percentile(levels, _QUIETEST)))


def words_over(voice: Samples, room_dbfs: float, *, rate_hz: float) -> tuple[Word, ...]:
    """The words of ``(n,)`` samples that rise clearly over a room of this level, dBFS (AES17)."""
    return find_words(voice, rate_hz=rate_hz, room_dbfs=room_dbfs + _OVER_ROOM_DB)


def word_levels_dbfs(voice: Samples, words: tuple[Word, ...], *, rate_hz: float) -> Samples:
    """The highest 20 ms of each word in ``(n,)`` samples, dBFS (AES17), ``(words,)``."""
    levels = frame_levels_dbfs(voice, rate_hz=rate_hz, frame_s=_FRAME_S)
    found = []
    for word in words:
        first, last = (
            int(word.start_s / _FRAME_S),
            max(int(word.start_s / _FRAME_S) + 1, int(np.ceil(word.end_s / _FRAME_S))),
        )
        part = levels[first:last]
        if len(part):
            found.append(float(part.max()))
    return np.array(found)
