"""What moved since a calibration, and why: readings beyond what two readings of one sentence differ
by, and the causes that explain them.

Source: the evidence of each set of causes (MacKay 2003). The share of a change that a cause
explains is its part of the squares, in dB over all bands.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.prove.causes import Code, models
from obsidian_wren.core.prove.change import SoundingChange, compare
from obsidian_wren.core.prove.explaining import CauseEffect, Explanation, explain
from obsidian_wren.core.prove.sounding import VOICE_HZ, Sounding

# So much more likely than nothing (natural logarithm) that it is said.
_SURE = 2.0
_USUAL_DIRECT_DB = 12.0
_UNEXPLAINED = 0.2
_SILENT = 0.2
_PADS_DB, _PAD_WITHIN_DB = (15.0, 18.0, 20.0, 26.0), 0.4
# A misfit that one unchanged check in 100 000 reaches.
_MISFIT_SIGMAS = 4.3
# Beside a gate that shuts, no noise is left to compare.
_LOST_DB = -40.0


@dataclass(frozen=True)
class DriftCause:
    """One cause of a change: the share of it that it explains (0 to 1), and its number now with
    its standard error; ``then`` where it had one before. Unit of all three: ``unit``."""

    code: Code
    share: float
    estimate: float | None
    error: float | None
    then: float | None
    unit: str


@dataclass(frozen=True)
class Drift:
    """What moved: whether anything did, why, the strongest first, and the change itself;
    ``explained_db`` ``(n,)``: what the causes together do to it."""

    drifted: bool
    causes: tuple[DriftCause, ...]
    change: SoundingChange
    explained_db: Samples


def find_drift(
    then: Sounding,
    now: Sounding,
    *,
    distance_m: float | None = None,
    direct_over_room_db: float | None = None,
) -> Drift:
    """What moved between two soundings, and why. ``distance_m``: mouth to microphone at the
    calibration, where it is known, in metres; ``direct_over_room_db``: direct over reverberant
    sound there, in dB, where it is known."""
    return drift_of(
        compare(then, now), distance_m=distance_m, direct_over_room_db=direct_over_room_db
    )


def drift_of(
    change: SoundingChange,
    *,
    distance_m: float | None = None,
    direct_over_room_db: float | None = None,
    most: int = 3,
    sure: float = _SURE,
) -> Drift:
    """What explains a change, in at most so many causes; ``sure``: how much more likely than
    nothing they have to be, in nats. The rest as :func:`find_drift`."""
    silenced = change.now.silent_share > _SILENT > change.then.silent_share
    if silenced:
        change = _without_noise(change)
    over = _USUAL_DIRECT_DB if direct_over_room_db is None else direct_over_room_db
    candidates = models(change, distance_m=distance_m, direct_over_room_db=over)
    found = explain(change, candidates, most=most)
    if found.log_odds < sure:
        found = Explanation((), 0.0)
    causes = _shared(change, found)
    if silenced:
        causes = [
            DriftCause("processing", 1.0, None, None, None, ""),
            *(replace(cause, share=0.0) for cause in causes),
        ]
    causes = [_by_its_name(change, cause) for cause in causes]
    left = _left_over(change, found)
    if left > _UNEXPLAINED and not silenced:
        causes.append(DriftCause("unexplained", left, None, None, None, ""))
    causes.sort(key=lambda cause: -cause.share)
    return Drift(bool(causes), tuple(causes), change, _explained(change, found))


def _without_noise(change: SoundingChange) -> SoundingChange:
    """The change with everything unknown that a gate hides."""
    covariance = change.covariance.copy()
    for at in (
        *range(change.noise.start, change.noise.stop),
        change.late,
        change.hum,
        change.pauses,
    ):
        covariance[at, at] += 1e6
    db = change.db.copy()
    db[change.noise] = db[change.late] = db[change.hum] = db[change.pauses] = 0.0
    return replace(change, db=db, covariance=covariance)


def _weights(change: SoundingChange) -> Samples:
    """What each band counts: voice and noise alike, only what is known."""
    weights = np.zeros(len(change.db))
    weights[change.voice] = 1.0 / len(VOICE_HZ)
    weights[change.noise] = 1.0 / max(1, len(change.noise_hz))
    weights[change.hum] = 0.15
    weights[change.late] = 0.05
    return np.where(change.known, weights, 0.0)


def _shared(change: SoundingChange, found: Explanation) -> list[DriftCause]:
    if not found.parts:
        return []
    weights = _weights(change)
    sizes = [float(np.sum(weights * part.adds_db**2)) for part in found.parts]
    beyond = _beyond(change, weights, _explained(change, found))
    total = max(sum(sizes) + beyond, 1e-9)
    return [
        _numbered(part, round(size / total, 3))
        for part, size in zip(found.parts, sizes, strict=True)
    ]


def _beyond(change: SoundingChange, weights: Samples, explained: Samples) -> float:
    """What is left of a change, beyond what would differ anyway."""
    left = (change.db - explained) ** 2 - np.diag(change.covariance)
    return max(0.0, float(np.sum(weights * left)))


def _numbered(part: CauseEffect, share: float) -> DriftCause:
    if part.code == "distance" and part.value is not None and part.error is not None:
        then, now = 100.0 * part.value
        # How far it was then is not known better than how far it is now: what is sure is the ratio.
        return DriftCause(
            "distance", share, float(now), float(100.0 * part.error[1]), float(then), "cm"
        )
    value = None if part.value is None else float(part.value[0])
    error = None if part.error is None else float(part.error[0])
    return DriftCause(part.code, share, value, error, None, "dB")


def _by_its_name(change: SoundingChange, cause: DriftCause) -> DriftCause:
    """Gain that was turned after the converter, or by a pad before it."""
    if cause.code != "gain" or cause.estimate is None:
        return cause
    if change.slider_moved:
        return replace(cause, code="slider")
    flat = change.now.flat_level_dbfs
    if change.now.flat_tops and flat is not None and flat < min(-0.3, cause.estimate + 0.3):
        return replace(cause, code="slider")
    if any(abs(abs(cause.estimate) - pad) < _PAD_WITHIN_DB for pad in _PADS_DB):
        return replace(cause, code="pad")
    return cause


def _explained(change: SoundingChange, found: Explanation) -> Samples:
    return np.asarray(sum((part.adds_db for part in found.parts), np.zeros(len(change.db))))


def _left_over(change: SoundingChange, found: Explanation) -> float:
    """The share that no cause explains; 0 where it is no more than an unchanged rig would do."""
    explained = _explained(change, found)
    left = change.db - explained
    known = change.known
    inverse = np.linalg.inv(change.covariance[np.ix_(known, known)])
    size = int(np.count_nonzero(known))
    misfit = float(left[known] @ inverse @ left[known])
    if misfit < size + _MISFIT_SIGMAS * np.sqrt(2.0 * size):
        return 0.0
    weights = _weights(change)
    beyond = _beyond(change, weights, explained)
    sizes = sum(float(np.sum(weights * part.adds_db**2)) for part in found.parts)
    return round(beyond / max(beyond + sizes, 1e-9), 3)
