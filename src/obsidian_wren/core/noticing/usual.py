"""What is usual: how far a talker and a room differ from the calibration on ordinary days.

Kept as numbers of each day's ordinary minutes, never sound. Before there are days, what talkers
differ by between days in general; each day moves that towards this talker.

Source: Gelman and others (2013), Bayesian Data Analysis, section 2.6: a scaled inverse chi-square
prior of a variance.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.prove.sounding import VOICE_HZ

# Standard deviations between days: how loud, how bright (dB an octave), how much room in the falls,
# how wide the range is.
_LEVEL_DB, _TILT_DB, _LATE_DB, _RANGE_DB = 1.5, 0.35, 0.8, 1.2
# And within a day, from one half minute of talk to another.
_LEVEL_NOW_DB, _TILT_NOW_DB, _LATE_NOW_DB, _RANGE_NOW_DB = 0.5, 0.25, 0.3, 0.7
# A prior counts like so many days, or like so many looks of a day.
_PRIOR_DAYS, _PRIOR_LOOKS = 4.0, 1.0
# No talker is known better than that.
_LEAST = 0.6


@dataclass(frozen=True)
class Usual:
    """Standard deviations of an ordinary day in dB (``tilt_db``: an octave), and ``offset_db``
    ``(n,)``: how ordinary days differ from the calibration on average, empty before there are
    any. ``days``: how many it is known from; ``unknown``: the share of the calibration's own error
    that is left, 0 to 1."""

    level_db: float = _LEVEL_DB
    tilt_db: float = _TILT_DB
    late_db: float = _LATE_DB
    range_db: float = _RANGE_DB
    offset_db: Samples = field(default_factory=lambda: np.zeros(0))
    days: int = 0
    unknown: float = 1.0


BEFORE_ANY_DAY = Usual()


def usual_from(days: Sequence[Samples]) -> Usual:
    """What is usual, from the numbers of ordinary days ``(n,)`` each."""
    if not days:
        return BEFORE_ANY_DAY
    rows = np.array(days)
    count, bands = len(rows), len(VOICE_HZ)
    offset = rows.mean(axis=0) * count / (count + _PRIOR_DAYS)
    octaves = np.log2(VOICE_HZ / 1000.0)
    voice = rows[:, :bands]
    levels = voice.mean(axis=1)
    tilts = (voice - levels[:, None]) @ (octaves - octaves.mean()) / float(np.var(octaves) * bands)
    at = rows.shape[1] - 4

    def spread(values: Samples, prior: float) -> float:
        squares = float(np.sum((values - values.mean()) ** 2))
        # The mean of few days is itself unsure.
        found = np.sqrt((_PRIOR_DAYS * prior**2 + squares) / (_PRIOR_DAYS + count - 1.0))
        return float(max(found, _LEAST * prior))

    return Usual(
        spread(levels, _LEVEL_DB),
        spread(tilts, _TILT_DB),
        spread(rows[:, at], _LATE_DB),
        spread(rows[:, at + 3], _RANGE_DB),
        offset,
        count,
        _PRIOR_DAYS / (count + _PRIOR_DAYS),
    )


def usual_today(usual: Usual, looks: Sequence[Samples]) -> Usual:
    """What is usual in the minutes after ordinary looks ``(n,)`` of this day: a talker keeps to
    how they talk today, nearer than to how they talk in general."""
    if not looks:
        return usual
    count = len(looks)
    share = count / (count + _PRIOR_LOOKS)
    before = usual.offset_db if len(usual.offset_db) else np.zeros(len(looks[0]))
    offset = (1.0 - share) * before + share * np.mean(looks, axis=0)
    # A room has no habits within a day: what moved in it for a while is over.
    bands = len(VOICE_HZ)
    offset[bands:-4], offset[-3] = before[bands:-4], before[-3]

    def spread(day: float, now: float) -> float:
        return float(np.sqrt((1.0 - share) * day**2 + (1.0 + 1.0 / count) * now**2))

    return replace(
        usual,
        level_db=spread(usual.level_db, _LEVEL_NOW_DB),
        tilt_db=spread(usual.tilt_db, _TILT_NOW_DB),
        late_db=spread(usual.late_db, _LATE_NOW_DB),
        range_db=spread(usual.range_db, _RANGE_NOW_DB),
        offset_db=offset,
        unknown=(1.0 - share) * usual.unknown,
    )
