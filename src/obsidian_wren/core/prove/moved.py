"""The readings of a check: as they were, as they are, and what two readings of one sentence differ
by anyway.

Source: AES17 for levels; the spread by ``compare``.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.prove.change import SoundingChange
from obsidian_wren.core.prove.sounding import Sounding

# Two sigma of what happens anyway.
_SIGMAS = 2.5
_NOISE_DB, _PEAKS_DB, _HUM_DB = 1.5, 2.5, 3.0


@dataclass(frozen=True)
class Moved:
    """One reading then and now, in ``unit``; None where it is not known. ``spread``: what it may
    differ by with nothing changed; None where that is not known."""

    name: str
    then: float | None
    now: float | None
    unit: str
    spread: float | None

    @property
    def beyond(self) -> bool:
        """Whether it differs by more than it would anyway."""
        if self.then is None or self.now is None:
            return (self.then is None) != (self.now is None)
        return self.spread is not None and abs(self.now - self.then) > self.spread


def readings_of(change: SoundingChange) -> tuple[Moved, ...]:
    """Every reading that a check compares."""
    then, now = change.then, change.now
    level = _SIGMAS * float(np.sqrt(change.covariance[0, 1]))

    def row(name: str, unit: str, spread: float | None, *, of: str | None = None) -> Moved:
        return Moved(name, getattr(then, of or name), getattr(now, of or name), unit, spread)

    return (
        row("noise_floor_dbfs", "dBFS", _NOISE_DB, of="floor_dbfs"),
        row("noise_floor_dbfs_a", "dBFS(A)", _NOISE_DB, of="floor_dbfs_a"),
        *_between_words(change),
        row("active_level_dbfs", "dBFS", level),
        Moved("snr_db", _snr_db(then), _snr_db(now), "dB", level + _NOISE_DB),
        row("peaks_dbfs", "dBFS", level + _PEAKS_DB),
        row("range_db", "dB", _SIGMAS * float(np.sqrt(change.covariance[-1, -1]))),
        row("hum_dbfs", "dBFS", _HUM_DB),
        row("late_db", "dB", _SIGMAS * float(np.sqrt(change.covariance[change.late, change.late]))),
        row("decay_s", "s", None),
        Moved("clipped", float(then.flat_tops), float(now.flat_tops), "count", 0.5),
        Moved("tone_db", 0.0, _tone_db(change), "dB", _tone_spread_db(change)),
    )


def _between_words(change: SoundingChange) -> tuple[Moved, ...]:
    """The room in use; nothing where a calibration was kept without it."""
    then, now = change.then.between_dbfs, change.now.between_dbfs
    if then is None or now is None:
        return ()
    spread = _SIGMAS * float(np.sqrt(change.covariance[change.pauses, change.pauses]))
    return (Moved("between_words_dbfs", then, now, "dBFS", spread),)


def _snr_db(sounding: Sounding) -> float:
    return sounding.active_level_dbfs - sounding.floor_dbfs


def _tone(change: SoundingChange) -> tuple[np.ndarray, np.ndarray]:
    known = change.known[change.voice]
    moved = change.db[change.voice][known]
    return moved - np.median(moved), known


def _tone_db(change: SoundingChange) -> float:
    """How far the third octaves of the voice moved against each other, dB rms."""
    moved, _ = _tone(change)
    return float(np.sqrt(np.mean(moved**2)))


def _tone_spread_db(change: SoundingChange) -> float:
    _, known = _tone(change)
    return float(_SIGMAS * np.sqrt(np.mean(np.diag(change.covariance)[change.voice][known])))
