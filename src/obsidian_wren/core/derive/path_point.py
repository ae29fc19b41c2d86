"""One point of the path, and what a plain gain and a listener's mix make of it.

Kept apart from what computes it, so that showing it loads little.

Source: by definition: a gain moves every level alike, a ceiling ends the peaks.
"""

from __future__ import annotations

from dataclasses import dataclass, replace


@dataclass(frozen=True)
class PathPoint:
    """Levels at one point, dBFS:

    10th and 95th percentile of active speech, highest peak, A-weighted floor at rest; ms from the
    converter. None where unknown.
    """

    voice_low_dbfs: float | None
    voice_high_dbfs: float | None
    peak_dbfs: float | None
    floor_dbfs_a: float | None
    delay_ms: float | None = None


def at_listener(point: PathPoint, *, gain_db: float, ceiling_dbtp: float) -> PathPoint:
    """What a listener gets of a point: by the gain of its mix, under its ceiling in dBTP."""
    found = shifted(point, gain_db)
    peak = found.peak_dbfs
    return replace(found, peak_dbfs=None if peak is None else min(peak, ceiling_dbtp))


def shifted(point: PathPoint, by_db: float) -> PathPoint:
    """The same levels moved by a plain gain."""

    def moved(level: float | None) -> float | None:
        return None if level is None else level + by_db

    return replace(
        point,
        voice_low_dbfs=moved(point.voice_low_dbfs),
        voice_high_dbfs=moved(point.voice_high_dbfs),
        peak_dbfs=moved(point.peak_dbfs),
        floor_dbfs_a=moved(point.floor_dbfs_a),
    )
