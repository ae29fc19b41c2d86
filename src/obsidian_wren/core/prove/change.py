"""What differs between two soundings, and by how much two readings of one sentence differ anyway.

Source: the covariance of a mean after Bartlett (1948); Rasmussen and Williams (2006), chapter 2,
for covariances over log frequency.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

from obsidian_wren.core.decibels import Samples, power_db
from obsidian_wren.core.prove.sounding import VOICE_HZ, Sounding

# From one reading of a sentence to the next, beside what the stretches of the take tell: how loud
# all of it is, how bright, single bands.
_LEVEL_DB, _TILT_DB, _BAND_DB, _LATE_DB = 0.55, 0.35, 0.3, 0.45
# The same words at another time: what differs is less than from one stretch to another.
_OF_STRETCHES = 0.5
# The same sound played once more: only the room and the noise differ.
_SAME_LEVEL_DB, _SAME_TILT_DB, _SAME_BAND_DB, _SAME_LATE_DB = 0.06, 0.04, 0.1, 0.12
_SAME_CONTOUR_DB = 0.9
_AS_LONG = 0.05
_LOUD_DB, _FALLS_DB, _LEAST_LOUD = -10.0, 6.0, 20
_UNKNOWN_FROM = 1e4
# A room is never quite the same.
_ROOM_DB, _ROOM_OCTAVES, _ROOM_BAND_DB = 0.3, 0.7, 0.2
_HUM_DB, _HUM_TO_HZ, _BESIDE_HUM_DB = 1.2, 500.0, 1.0
# A hum this far under the room of its bands is not found.
_HUM_FOUND_DB = 14.0
_DROWNED_DB = 1.5
_PAUSES_DB, _RANGE_DB = 1.5, 0.8
_UNKNOWN_DB = 1e3
_GRID_APART = 0.002


@dataclass(frozen=True)
class LateShares:
    """How much of what the direct sound loses, dB, the late share gains: by going farther, by
    coming nearer, by turning away; and what is not known of it."""

    farther: float
    nearer: float
    turned: float
    unsure: float


# Speech itself hides the room where there is little of it, and turning a microphone away leaves out
# the room in front of it as well.
SAME_WORDS = LateShares(0.95, 0.6, 0.35, 0.3)


@dataclass(frozen=True)
class SoundingChange:
    """The differences ``(n,)`` in dB, now minus then, and their covariance ``(n, n)`` where nothing
    has changed: voice bands, noise bands, then one each for the late share, the hum, the pauses
    over the room and the range. ``same_sound``: the sentence is the very same sound, played
    again. ``more_usual``: how much more usual causes are than from one check to the next, by their
    codes (natural logarithm)."""

    then: Sounding
    now: Sounding
    noise_hz: Samples
    db: Samples
    covariance: Samples
    same_sound: bool
    late_shares: LateShares = SAME_WORDS
    more_usual: Mapping[str, float] = field(default_factory=dict)

    @property
    def known(self) -> npt.NDArray[np.bool_]:
        """What is known of it, ``(n,)``: a band under the noise is not."""
        return np.asarray(np.diag(self.covariance) < _UNKNOWN_FROM)

    @property
    def slider_moved(self) -> bool:
        """Whether a slider after the converter left another trace than then."""
        was, is_ = self.then.grid, self.now.grid
        if was is None or is_ is None:
            return was is not is_
        return abs(was - is_) > _GRID_APART

    @property
    def voice(self) -> slice:
        """Where the voice bands are."""
        return slice(0, len(VOICE_HZ))

    @property
    def noise(self) -> slice:
        """Where the noise bands are."""
        return slice(len(VOICE_HZ), len(VOICE_HZ) + len(self.noise_hz))

    @property
    def late(self) -> int:
        """Where the late share is."""
        return len(VOICE_HZ) + len(self.noise_hz)

    @property
    def hum(self) -> int:
        """Where the hum is."""
        return self.late + 1

    @property
    def pauses(self) -> int:
        """Where the pauses over the room are."""
        return self.late + 2

    @property
    def range(self) -> int:
        """Where the range of the voice is."""
        return self.late + 3


def compare(then: Sounding, now: Sounding) -> SoundingChange:
    """What differs between two soundings, and what would differ anyway."""
    shared = [hz for hz in then.noise_hz if hz in set(now.noise_hz)]
    old, new = ([list(one.noise_hz).index(hz) for hz in shared] for one in (then, now))
    noise_hz = np.array(shared)
    same = _same_sound(then.contour_db, now.contour_db)
    voice = now.voice_db - then.voice_db
    voice_error = _voice_error_db(then, now, same=same)
    size = len(VOICE_HZ) + len(noise_hz) + 4
    db, cov = np.zeros(size), np.zeros((size, size))
    voiced, noisy = slice(0, len(VOICE_HZ)), slice(len(VOICE_HZ), size - 4)
    db[voiced], db[noisy] = voice, now.noise_db[new] - then.noise_db[old]
    level = _SAME_LEVEL_DB if same else np.hypot(_LEVEL_DB, _level_error_db(then, now))
    level = np.hypot(level, _level_error_db(then, now) * np.sqrt(_missing(then, now)))
    tilt = _SAME_TILT_DB if same else _TILT_DB
    octaves = np.log2(VOICE_HZ / 1000.0)
    cov[voiced, voiced] = np.diag(voice_error**2) + level**2 + tilt**2 * np.outer(octaves, octaves)
    cov[noisy, noisy] = noise_covariance(
        noise_hz, then.noise_error_db[old], now.noise_error_db[new]
    )
    db[size - 4], cov[size - 4, size - 4] = _late(then, now, same=same)
    db[size - 3], cov[size - 3, size - 3] = hum_change(then, now)
    db[size - 2] = now.pauses_over_db - then.pauses_over_db
    cov[size - 2, size - 2] = _PAUSES_DB**2
    db[size - 1] = now.range_db - then.range_db
    cov[size - 1, size - 1] = (0.3 if same else 1.0) * _RANGE_DB**2
    return SoundingChange(then, now, noise_hz, db, cov, same)


def _voice_error_db(then: Sounding, now: Sounding, *, same: bool) -> Samples:
    band = _SAME_BAND_DB if same else _BAND_DB
    of_stretches = np.hypot(0.0 if same else _OF_STRETCHES, np.sqrt(_missing(then, now)))
    error = np.sqrt(
        band**2 + (of_stretches * np.maximum(then.voice_error_db, now.voice_error_db)) ** 2
    )
    for one in (then, now):
        under = np.interp(np.log(VOICE_HZ), np.log(one.noise_hz), one.noise_db)
        near = 10.0 ** ((under - one.voice_db) / 10.0)
        # Where noise is a part of it, the voice is less certain; where it is most of it, unknown.
        error = np.where(
            one.voice_db < under + _DROWNED_DB, _UNKNOWN_DB, np.hypot(error, 2.0 * near)
        )
    return np.asarray(error)


def _missing(then: Sounding, now: Sounding) -> float:
    """What a part of a text leaves open of the whole: its variance over that of the mean of all,
    1/p − 1 for the share p, at most 1."""
    longer, shorter = max(then.seconds, now.seconds), min(then.seconds, now.seconds)
    missing = longer / shorter - 1.0
    return min(1.0, missing) if missing > _AS_LONG else 0.0


def _level_error_db(then: Sounding, now: Sounding) -> float:
    return max(then.level_error_db, now.level_error_db)


def noise_covariance(hz: Samples, then_db: Samples, now_db: Samples) -> Samples:
    """Covariance ``(n, n)`` of a room that is the same, from the standard errors ``(n,)`` of both
    its readings, dB."""
    octaves = np.log2(hz)
    apart = (octaves[:, None] - octaves[None, :]) / _ROOM_OCTAVES
    own = then_db**2 + now_db**2 + _ROOM_BAND_DB**2 + (_BESIDE_HUM_DB * (hz < _HUM_TO_HZ)) ** 2
    return np.asarray(_ROOM_DB**2 * np.exp(-0.5 * apart**2) + np.diag(own))


def _late(then: Sounding, now: Sounding, *, same: bool) -> tuple[float, float]:
    if then.late_db is None or now.late_db is None:
        return 0.0, _UNKNOWN_DB**2
    own = _SAME_LATE_DB if same else _LATE_DB
    return now.late_db - then.late_db, own**2 + _LATE_DB**2 * _missing(then, now)


def hum_change(
    then: Sounding, now: Sounding, *, found_db: float = _HUM_FOUND_DB
) -> tuple[float, float]:
    """The change of the hum and its variance, dB; what was too low to be found counts as just under
    that, ``found_db`` under the room of its bands."""
    found = []
    for one in (then, now):
        low = one.noise_db[one.noise_hz <= _HUM_TO_HZ]
        least = float(power_db(float(np.mean(10.0 ** (low / 10.0))))) - found_db
        found.append((one.hum_dbfs, least))
    (was, was_least), (is_, is_least) = found
    if was is None and is_ is None:
        return 0.0, _UNKNOWN_DB**2
    if was is None and is_ is not None:
        return max(0.0, is_ - was_least), _HUM_DB**2
    if is_ is None and was is not None:
        return min(0.0, is_least - was), _HUM_DB**2
    return float(is_ or 0.0) - float(was or 0.0), _HUM_DB**2


def _same_sound(then: Samples, now: Samples) -> bool:
    """Whether the loudness goes up and down alike from the first word to the last."""
    if min(len(then), len(now)) < 2 * _LEAST_LOUD:
        return False
    best = np.inf
    for lag in range(-10, 11):
        a, b = then[max(0, lag) :], now[max(0, -lag) :]
        count = min(len(a), len(b))
        a, b = a[:count], b[:count]
        loud = (a > _LOUD_DB) & (b > _LOUD_DB - _FALLS_DB)
        if np.count_nonzero(loud) > _LEAST_LOUD:
            best = min(best, float(np.std((a - b)[loud])))
    return best < _SAME_CONTOUR_DB
