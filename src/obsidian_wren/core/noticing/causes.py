"""Why a live stretch is unusual: the same evidence as that of a check, asked for more of it, since
a watch looks a thousand times a day.

Source: as ``core/prove/drift.py``; the level of the voice by generalised least squares (Aitken
1935).
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from obsidian_wren.core.prove.change import SoundingChange
from obsidian_wren.core.prove.drift import Drift, drift_of

# So much more likely than nothing, in nats, and at most so many things within a minute.
_SURE, _AT_ONCE = 3.0, 2
_GAINS = frozenset({"gain", "slider", "pad"})
_OF_THE_VOICE = frozenset({"distance", "angle", "voice", "screen", "microphone"})
# A gain that the voice did not follow by so many standard deviations is none.
_APART = 2.0
_NEVER = -50.0


def live_causes(change: SoundingChange, *, distance_m: float | None = None) -> Drift:
    """What explains an unusual change. ``distance_m``: mouth to microphone at the calibration, in
    metres, where it is known."""
    found = drift_of(change, distance_m=distance_m, most=_AT_ONCE, sure=_SURE)
    codes = {cause.code for cause in found.causes}
    gain = next((cause.estimate for cause in found.causes if cause.code in _GAINS), None)
    if gain is None or codes & _OF_THE_VOICE:
        return found
    moved_db, error_db = _voice_moved(change)
    if abs(moved_db - gain) < _APART * error_db:
        return found
    # A room that is louder in all bands looks like it.
    others = {**change.more_usual, "gain": _NEVER}
    return drift_of(
        replace(change, more_usual=others), distance_m=distance_m, most=_AT_ONCE, sure=_SURE
    )


def _voice_moved(change: SoundingChange) -> tuple[float, float]:
    """By how much the voice is louder as a whole, and its standard error, dB."""
    known = np.flatnonzero(change.known[change.voice])
    inverse = np.linalg.inv(change.covariance[np.ix_(known, known)])
    weights = inverse.sum(axis=0)
    return float(weights @ change.db[known] / weights.sum()), float(1.0 / np.sqrt(weights.sum()))
