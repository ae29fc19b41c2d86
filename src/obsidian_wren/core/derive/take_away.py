"""What a stage takes away, measured on the takes before and behind it.

Source: practice: a floor is A-weighted (IEC 61672-1), a word is missed by its beginning.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from obsidian_wren.core.decibels import Samples, power_db
from obsidian_wren.core.derive.take_set import TakeSet
from obsidian_wren.core.derive.taken import CLIPPED_DB, Taken
from obsidian_wren.core.measure.moments import STEP_S, a_weighted_levels_dbfs
from obsidian_wren.core.measure.words import Word

_BEGINNING_S = 0.03
_BEFORE_S, _AFTER_S, _LEAST_BETWEEN_S = 0.1, 0.2, 0.5
# A beginning under the room is not heard, so it cannot be clipped.
_OVER_ROOM = 4.0
_FRAME_S = 0.02


def taken_between(before: TakeSet, after: TakeSet) -> Taken:
    """What was taken from one set of takes to the other, of one stage or several."""
    rate = before.rate_hz
    room = float(np.mean(np.square(before.rest))) if len(before.rest) else 0.0
    lost = _beginnings_db(before.talk, after.talk, before.words, room, rate)
    in_use = before.in_use is not None
    between = _between_words(before.words, len(before.talk), rate)
    return Taken(
        before.rest_dbfs_a,
        after.rest_dbfs_a,
        before.room_dbfs_a if in_use else None,
        after.room_dbfs_a if in_use else None,
        _loud_speech_db(before, after),
        float(np.mean(lost)) if len(lost) else None,
        int(np.count_nonzero(lost > CLIPPED_DB)),
        len(before.words),
        *(_a_weighted_between(takes, between) for takes in (before, after)),
    )


def _between_words(words: Sequence[Word], count: int, rate_hz: float) -> npt.NDArray[np.bool_]:
    """Which of so many samples lie between words, what belongs to their ends left out."""
    spoken = np.zeros(count, dtype=bool)
    for word in words:
        begin, end = word.start_s - _BEFORE_S, word.end_s + _AFTER_S
        spoken[max(0, round(begin * rate_hz)) : round(end * rate_hz)] = True
    return ~spoken


def _a_weighted_between(takes: TakeSet, between: npt.NDArray[np.bool_]) -> float | None:
    """The A-weighted level of the talk between its words, dBFS; None where it hardly pauses."""
    levels = a_weighted_levels_dbfs(takes.talk, rate_hz=takes.rate_hz, within=between)
    if len(levels) * STEP_S < _LEAST_BETWEEN_S:
        return None
    return power_db(float(np.mean(10.0 ** (levels / 10.0))))


def _loud_speech_db(before: TakeSet, after: TakeSet) -> float:
    frame = round(_FRAME_S * before.rate_hz)
    whole = min(len(before.talk), len(after.talk)) // frame * frame
    if not whole:
        return 0.0
    was, left = (
        np.mean(np.square(x[:whole].reshape(-1, frame)), axis=1) for x in (before.talk, after.talk)
    )
    loud = power_db(was + 1e-20) >= before.active_dbfs - 3.0
    if not loud.any():
        return 0.0
    return float(power_db(float(was[loud].sum()) / max(float(left[loud].sum()), 1e-20)))


def _beginnings_db(
    before: Samples, after: Samples, words: Sequence[Word], room: float, rate_hz: float
) -> Samples:
    """What the first 30 ms of each word that begins over the room lose, dB ``(words,)``."""
    length, found = round(_BEGINNING_S * rate_hz), []
    for word in words:
        first = round(word.start_s * rate_hz)
        was = float(np.mean(np.square(before[first : first + length]))) if length else 0.0
        if first + length <= len(before) and was > _OVER_ROOM * room and was > 0.0:
            left = float(np.mean(np.square(after[first : first + length])))
            found.append(power_db(was / max(left, 1e-20)))
    return np.array(found)
