"""How loud each word of a voice gets: what an activation threshold has to lie under."""

from __future__ import annotations

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.levels import frame_levels_dbfs
from obsidian_wren.core.measure.words import Word

_FRAME_S = 0.02


def word_levels_dbfs(voice: Samples, words: tuple[Word, ...], *, rate_hz: float) -> Samples:
    """The highest 20 ms of each word in ``(n,)`` samples, dBFS (AES17), ``(words,)``."""
    levels = frame_levels_dbfs(voice, rate_hz=rate_hz, frame_s=_FRAME_S)
    found = []
    for word in words:
        first, last = int(word.start_s / _FRAME_S), max(int(word.start_s / _FRAME_S) + 1, int(np.ceil(word.end_s / _FRAME_S)))
        part = levels[first:last]
        if len(part):
            found.append(float(part.max()))
    return np.array(found)
