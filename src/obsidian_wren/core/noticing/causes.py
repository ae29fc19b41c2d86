"""Why a live stretch is unusual: the same evidence as that of a check, asked for more of it, since
a watch looks a thousand times a day.

Source: as ``core/prove/drift.py``.
"""

from __future__ import annotations

from obsidian_wren.core.prove.change import SoundingChange
from obsidian_wren.core.prove.drift import Drift, drift_of

# So much more likely than nothing, in nats, and at most so many things within a minute.
_SURE, _AT_ONCE = 3.0, 2


def live_causes(change: SoundingChange, *, distance_m: float | None = None) -> Drift:
    """What explains an unusual change. ``distance_m``: mouth to microphone at the calibration, in
    metres, where it is known."""
    return drift_of(change, distance_m=distance_m, most=_AT_ONCE, sure=_SURE)
