"""Loudness matching for listening: comparisons must not be won by the louder one.

Source: ITU-R BS.1770-4 for loudness; practice: louder is taken for better.
"""

from __future__ import annotations

_PEAK_ROOM_DBFS = -1.0
_LISTENING_LUFS = -20.0


def matched_gains_db(
    loudness_lufs: tuple[float, float], peaks_dbfs: tuple[float, float]
) -> tuple[float, float]:
    """Gains that bring two sounds to one loudness, −20 LUFS or as near as both can come with
    their peaks under −1 dBFS."""
    reachable = [
        loudness + (_PEAK_ROOM_DBFS - peak)
        for loudness, peak in zip(loudness_lufs, peaks_dbfs, strict=True)
    ]
    common = min(_LISTENING_LUFS, *reachable)
    return common - loudness_lufs[0], common - loudness_lufs[1]
