"""Where the takes land that leave a chain.

Source: ITU-R BS.1770-5 for loudness and true peak; IEC 61672-1 for the floor.
"""

from __future__ import annotations

import numpy as np

from obsidian_wren.core.decibels import Samples, amplitude_db
from obsidian_wren.core.derive.compressor import normal_peaks_dbfs
from obsidian_wren.core.derive.landing import Landing
from obsidian_wren.core.derive.take_set import TakeSet
from obsidian_wren.core.measure.levels import frame_peaks, true_peak_dbtp
from obsidian_wren.core.measure.words import within


def landed(
    before: TakeSet,
    before_limiter: TakeSet,
    after: TakeSet,
    *,
    beside_voice_dbfs_a: float,
    in_pauses_dbfs_a: float,
) -> Landing:
    """Where ``after`` lands, from the takes before the first stage that steadies and before the
    limiter, and the floor at the listener in dBFS(A)."""
    # As the ear weighs both: rumble and breath that were taken away are no voice.
    room_gain = after.room_dbfs_a - before.room_dbfs_a
    voice_gain = after.loudness_lufs - before.loudness_lufs
    limited = _peak_dbfs(before_limiter.talk) - _peak_dbfs(after.talk)
    return Landing(
        after.loudness_lufs if np.isfinite(after.loudness_lufs) else None,
        true_peak_dbtp(after.talk),
        _normal_peaks(after),
        after.range_lu,
        in_pauses_dbfs_a,
        beside_voice_dbfs_a,
        room_gain - voice_gain,
        max(0.0, limited),
    )


def _normal_peaks(after: TakeSet) -> float:
    peaks = frame_peaks(after.talk, rate_hz=after.rate_hz, frame_s=0.01)
    return normal_peaks_dbfs(peaks, within(after.words, np.arange(len(peaks)) * 0.01))


def _peak_dbfs(samples: Samples) -> float:
    return amplitude_db(float(np.abs(samples).max())) if len(samples) else float("-inf")
