"""Two sounds of one sentence, cut and matched so that nothing but what they are tells them apart.

Source: ITU-R BS.1770-5 for loudness; ITU-R BS.1116 for what a fair comparison keeps equal.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.decibels import Samples, amplitude_from_db
from obsidian_wren.core.derive.matching import matched_gains_db
from obsidian_wren.core.measure.levels import frame_levels_dbfs, peak_dbfs
from obsidian_wren.core.measure.loudness import integrated_lufs
from obsidian_wren.core.measure.speech import active_level, spoken_mask
from obsidian_wren.core.prove.series import HEARD_S

_BEFORE_S, _FADE_S, _FRAME_S = 0.25, 0.01, 0.01
# Far under any room; each time another, so that bytes say nothing of what they hold.
_VEIL_DBFS = -115.0


@dataclass(frozen=True)
class Pair:
    """Both sounds ``(n,)`` of one length, the loudness of each in LUFS after the matching, and the
    gains in dB that made it."""

    first: Samples
    second: Samples
    loudness_lufs: tuple[float, float]
    gains_db: tuple[float, float]


def starts_at_s(samples: Samples, *, rate_hz: float) -> float:
    """Where the first word of ``(n,)`` samples begins, with a breath before it, in s."""
    active = active_level(samples, rate_hz=rate_hz)
    levels = frame_levels_dbfs(samples, rate_hz=rate_hz, frame_s=_FRAME_S)
    spoken = np.flatnonzero(spoken_mask(levels, active.level_dbfs))
    return max(0.0, float(spoken[0]) * _FRAME_S - _BEFORE_S) if len(spoken) else 0.0


def matched_pair(first: Samples, second: Samples, *, rate_hz: float, from_s: float = 0.0) -> Pair:
    """The same :data:`HEARD_S` of two sounds ``(n,)`` that are in step, at one loudness, softly
    begun and ended. Loudness is that of what is heard. Raises ValueError where one is silent."""
    count = min(len(first), len(second))
    begin = min(round(from_s * rate_hz), max(0, count - round(rate_hz)))
    end = min(count, begin + round(HEARD_S * rate_hz))
    both = first[begin:end], second[begin:end]
    own = [integrated_lufs(sound, rate_hz=rate_hz) for sound in both]
    if not np.isfinite(own).all():
        raise ValueError("one of the two is silent")
    gains = matched_gains_db((own[0], own[1]), (peak_dbfs(both[0]), peak_dbfs(both[1])))
    fade = min(round(_FADE_S * rate_hz), (end - begin) // 2)
    shape = np.ones(end - begin)
    ramp = np.sin(0.5 * np.pi * (np.arange(fade) + 0.5) / fade) ** 2
    shape[:fade], shape[len(shape) - fade :] = ramp, ramp[::-1]
    both = (
        both[0] * shape * amplitude_from_db(gains[0]),
        both[1] * shape * amplitude_from_db(gains[1]),
    )
    loudness = [integrated_lufs(sound, rate_hz=rate_hz) for sound in both]
    return Pair(both[0], both[1], (loudness[0], loudness[1]), gains)


def veiled(sound: Samples, rng: np.random.Generator) -> Samples:
    """A sound ``(n,)`` with noise at −115 dBFS on it, other noise each time."""
    return np.asarray(
        sound + rng.standard_normal(len(sound)) * amplitude_from_db(_VEIL_DBFS) / np.sqrt(2.0)
    )
