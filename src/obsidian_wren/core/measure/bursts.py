"""What stands out of a room take and is no part of it: a slam, a cough, a word, a passing car.

Source: Hampel (1974): levels against their median and the median of what is away from it.
"""

from __future__ import annotations

import numpy as np

from obsidian_wren.core.decibels import Samples, power_db
from obsidian_wren.core.measure.finding import Finding
from obsidian_wren.core.wording import _

_STRETCH_S = 0.25
_BURST_DB = 8.0
_SPREADS = 5.0
_MOST_CUT = 0.5
_LEAST_KEPT_S = 3.0
_NAMED = 3


def burst_findings(samples: Samples, *, rate_hz: float) -> list[Finding]:
    """What stands out of a room take ``(n,)`` and is left out."""
    bursts = find_bursts(samples, rate_hz=rate_hz)
    if not bursts:
        return []
    times = ", ".join(
        _("{start:.1f} to {end:.1f} s", start=start, end=end) for start, end in bursts[:_NAMED]
    )
    more = _(" and {bursts} more", bursts=len(bursts) - _NAMED) if len(bursts) > _NAMED else ""
    return [
        Finding(
            "burst_in_quiet",
            _(
                "Something was loud in the room at rest, at {times}{more}: it is left out.",
                times=times,
                more=more,
            ),
            _("Record the room again if that is part of it."),
        )
    ]


def find_bursts(samples: Samples, *, rate_hz: float) -> tuple[tuple[float, float], ...]:
    """Stretches of a room take ``(n,)`` that stand out of it, from and to in seconds: a slam, a
    cough, a word, a passing car.

    Levels of quarter seconds against their median; what is loud for half of the time is the room.
    """
    stretch = max(1, round(_STRETCH_S * rate_hz))
    count = len(samples) // stretch
    if count * _STRETCH_S < _LEAST_KEPT_S:
        return ()
    power = np.square(samples[: count * stretch]).reshape(count, stretch).mean(axis=1)
    level = power_db(np.maximum(power, 1e-20))
    median = float(np.median(level))
    spread = float(np.median(np.abs(level - median)))
    loud = level > median + max(_BURST_DB, _SPREADS * spread)
    if not loud.any():
        return ()
    # What comes before and after belongs to it: the hand on the door, the room's answer.
    wide = np.convolve(loud, np.ones(3), mode="same") > 0
    if wide.mean() > _MOST_CUT or (~wide).sum() * _STRETCH_S < _LEAST_KEPT_S:
        return ()
    edges = np.flatnonzero(np.diff(np.concatenate([[0], wide.astype(int), [0]])))
    return tuple(
        (float(start) * _STRETCH_S, float(end) * _STRETCH_S) for start, end in edges.reshape(-1, 2)
    )


def without_bursts(samples: Samples, *, rate_hz: float) -> Samples:
    """A room take ``(n,)`` without what stands out of it, ``(m,)``."""
    kept = np.ones(len(samples), dtype=bool)
    for start, end in find_bursts(samples, rate_hz=rate_hz):
        kept[round(start * rate_hz) : round(end * rate_hz)] = False
    return samples if kept.all() else samples[kept]
