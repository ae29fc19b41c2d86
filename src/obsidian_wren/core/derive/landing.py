"""Where the treated voice lands.

Kept apart from what computes it, so that showing it loads little.
"""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Landing:
    """Where the treated voice lands on the take: loudness in LUFS, true peak in dBTP, normal
    peaks in dBFS, range in LU, floor at rest in dBFS(A) as it is heard in pauses and beside the
    voice, how far the room rose beside the voice by steadying in dB, how much the limiter
    took from the highest peak in dB."""

    loudness_lufs: float | None
    true_peak_dbtp: float
    peaks_dbfs: float
    range_lu: float | None
    floor_dbfs_a: float
    beside_voice_dbfs_a: float
    lift_db: float
    limited_db: float
