"""How a live stretch differs from the calibration, and by how much it may on an ordinary day.

A talker says other words than the passage, and is louder one day than another; what is usual is
learned from ordinary days (``usual.py``).

Source: Rasmussen and Williams (2006), chapter 2, for covariances over log frequency.
"""

from __future__ import annotations

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.noticing.usual import BEFORE_ANY_DAY, Usual
from obsidian_wren.core.prove.change import (
    LateShares,
    SoundingChange,
    hum_change,
    noise_covariance,
)
from obsidian_wren.core.prove.sounding import VOICE_HZ, Sounding

_BAND_DB, _HISS_DB, _HISS_FROM_HZ = 0.5, 1.0, 4000.0
_ROOM_DB, _LOW_HZ = 0.8, 500.0
_DROWNED_DB = 1.5
# What is found of a hum is not sure from less than that over the room of its bands.
_HUM_FOUND_DB = -4.0
_UNKNOWN_DB = 1e3
# Of thirty simulated rigs that were moved and turned.
_LATE = LateShares(0.75, 0.7, 0.5, 0.15)
# Within a call people move and things are switched on more often than knobs are turned; that a
# talker differs from day to day is in the covariance already.
_MORE_USUAL = {
    "distance": 1.5,
    "angle": 1.5,
    "noise": 2.0,
    "hum": 1.0,
    "gain": -1.5,
    "voice": -2.5,
}


def live_change(then: Sounding, now: Sounding, usual: Usual = BEFORE_ANY_DAY) -> SoundingChange:
    """The differences of a live stretch to the calibration beyond what is usual, and their
    covariance where nothing has happened but another day."""
    shared = [hz for hz in then.noise_hz if hz in set(now.noise_hz)]
    old, new = ([list(one.noise_hz).index(hz) for hz in shared] for one in (then, now))
    noise_hz = np.array(shared)
    bands, size = len(VOICE_HZ), len(VOICE_HZ) + len(shared) + 4
    voiced, noisy = slice(0, bands), slice(bands, size - 4)
    db, cov = np.zeros(size), np.zeros((size, size))
    octaves = np.log2(VOICE_HZ / 1000.0)
    db[voiced], db[noisy] = now.voice_db - then.voice_db, now.noise_db[new] - then.noise_db[old]
    level = usual.level_db**2 + usual.unknown * then.level_error_db**2 + now.level_error_db**2
    cov[voiced, voiced] = (
        np.diag(_voice_error_db(then, now, usual.unknown) ** 2)
        + level
        + usual.tilt_db**2 * np.outer(octaves, octaves)
    )
    cov[noisy, noisy] = (
        noise_covariance(noise_hz, then.noise_error_db[old], now.noise_error_db[new]) + _ROOM_DB**2
    )
    at = size - 4
    if then.late_db is None or now.late_db is None:
        cov[at, at] = _UNKNOWN_DB**2
    else:
        db[at], cov[at, at] = now.late_db - then.late_db, usual.late_db**2
    low = noise_hz < _LOW_HZ
    moves = float(np.mean(now.noise_error_db[new][low] ** 2))
    hum_db, hum_variance = hum_change(then, now, found_db=_HUM_FOUND_DB)
    db[at + 1], cov[at + 1, at + 1] = hum_db, hum_variance + moves
    # Pauses are the room itself here.
    cov[at + 2, at + 2] = _UNKNOWN_DB**2
    db[at + 3], cov[at + 3, at + 3] = now.range_db - then.range_db, usual.range_db**2
    if len(usual.offset_db) == size:
        db = db - usual.offset_db
    return SoundingChange(
        then,
        now,
        noise_hz,
        db,
        cov,
        same_sound=False,
        late_shares=_LATE,
        more_usual=_MORE_USUAL,
    )


def _voice_error_db(then: Sounding, now: Sounding, unknown: float) -> Samples:
    own = np.where(VOICE_HZ < _HISS_FROM_HZ, _BAND_DB, _HISS_DB)
    error = np.sqrt(own**2 + unknown * then.voice_error_db**2 + now.voice_error_db**2)
    for one in (then, now):
        under = np.interp(np.log(VOICE_HZ), np.log(one.noise_hz), one.noise_db)
        near = 10.0 ** ((under - one.voice_db) / 10.0)
        drowned = one.voice_db < under + _DROWNED_DB
        error = np.where(drowned, _UNKNOWN_DB, np.hypot(error, 2.0 * near))
    return np.asarray(error)
