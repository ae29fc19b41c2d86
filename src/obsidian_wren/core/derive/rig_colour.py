"""What a rig adds to a voice, as far as it can be known: a Gaussian posterior over log frequency.

A take holds, in dB at each frequency, average speech, this voice's own deviation from it, what the
rig adds, and the error of the estimate. Only what the rig adds is to be corrected. With Gaussian
priors for the parts (Rasmussen and Williams 2006, chapter 2.2) its posterior is a linear estimate
with a variance, and the variance says how far a correction may go.

Another take of the same voice by a device that is not this rig, such as a phone beside the
microphone, holds the same average speech and the same voice, and that device's own colour: the two
takes are one joint Gaussian.

Source of the voice's spread: Byrne and others (1994), table of standard deviations between talkers,
and recorded voices; of the rig's: data-sheet responses, IEC 60268-4. Of a phone's: levels of phones
agree with those of a class 1 meter within about 2 dB (Kardous and Shaw 2014, JASA 135 EL186), and
spectra of speech with those of a studio microphone but at the ends of the band (Zhang and others
2021, JASA 149, 3910).
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.room_modes import RoomMode
from obsidian_wren.core.measure.voice_spectrum import POINT_HZ

_OCTAVE = np.log2(POINT_HZ)
_APART = _OCTAVE[:, None] - _OCTAVE[None, :]
# A voice stands apart from the average by single notes under 320 Hz, by its sibilants over
# 3.5 kHz, by its formants between, and broadly by how it is used.
_VOICE_LOW_HZ, _VOICE_HIGH_HZ = 320.0, 3500.0
_VOICE_DB, _VOICE_MIDDLE_DB, _VOICE_OCTAVES = 5.0, 2.8, 0.3
_VOICE_BROAD_DB, _VOICE_BROAD_OCTAVES, _VOICE_SINGLE_DB = 3.5, 1.2, 0.4
# A rig's colour is smooth.
_RIG_DB, _RIG_OCTAVES, _RIG_FINE_DB, _RIG_FINE_OCTAVES = 4.5, 0.8, 1.5, 0.35
# A microphone's file is itself measured to about a decibel, less well at the ends.
_FILE_DB, _FILE_ENDS_DB, _FILE_OCTAVES = 0.8, 2.0, 0.5
_FILE_LOW_HZ, _FILE_HIGH_HZ = 100.0, 10_000.0
# A resonance of the room is a line, seen through the third octaves of the voice's spectrum.
_MODE_DB, _MODE_OCTAVES = 5.0, 0.16
# A clap is made near the mouth, not at it: half of what it shows is believed before the voice is
# heard.
_BELIEVED = 0.5
# A phone's microphone: a small opening, a seal that leaks under 150 Hz, a resonance over 8 kHz.
_PHONE_DB, _PHONE_ENDS_DB, _PHONE_OCTAVES, _PHONE_SINGLE_DB = 1.5, 4.0, 0.5, 0.5
_PHONE_LOW_HZ, _PHONE_HIGH_HZ = 150.0, 8000.0
_LEVEL_DB = 30.0
# How far a level may be off where the voice stands half as far over the noise as it should.
_DOUBT_DB, _LEAST_TRUST = 2.0, 0.02
_LEAST_ERROR_DB = 0.3


@dataclass(frozen=True)
class RigColour:
    """What the rig adds: the mean and one standard deviation at :data:`POINT_HZ`, dB
    ``(points,)``, around its mean over the points that the voice tells; and how much of it each
    resonance of the room is, dB."""

    mean_db: Samples
    sd_db: Samples
    modes_db: tuple[float, ...] = ()


@dataclass(frozen=True)
class RigPrior:
    """What is known of a rig before it is heard: what it should add, dB ``(points,)``, at which
    points a response file tells it, and the resonances of the room; by itself nothing but how rigs
    are in general."""

    mean_db: Samples = field(default_factory=lambda: np.zeros(len(POINT_HZ)))
    filed: np.ndarray = field(default_factory=lambda: np.zeros(len(POINT_HZ), dtype=bool))
    modes: tuple[RoomMode, ...] = ()


@dataclass(frozen=True)
class PhoneTake:
    """The same voice by a phone: its level over that of average speech, the standard error of
    that, dB, and how far each point counts, 0 to 1, all ``(points,)``."""

    deviation_db: Samples
    error_db: Samples
    trust: Samples


def within_level(curve_db: Samples, trust: Samples) -> Samples:
    """A curve ``(points,)`` around its mean over the points that count, dB."""
    return np.asarray(curve_db - float(np.average(curve_db, weights=trust)))


def rig_colour(
    deviation_db: Samples,
    error_db: Samples,
    trust: Samples,
    prior: RigPrior,
    *,
    spread: float = 1.0,
    phone: PhoneTake | None = None,
) -> RigColour:
    """The posterior of what the rig adds.

    ``deviation_db`` is the voice's level over that of average speech, ``error_db`` the standard
    error of its estimate, ``trust`` 0 to 1 how far the points count, all ``(points,)`` at
    :data:`POINT_HZ`; the overall level of the deviation does not matter. ``spread`` is how much
    further than usual this voice may stand from the average; ``phone`` is what a phone heard of the
    same voice. Raises ValueError where no point counts.
    """
    seen = np.flatnonzero(trust > 0.0)
    if not len(seen):
        raise ValueError("The voice is above the noise nowhere.")
    weights = np.where(trust > 0.0, trust, 0.0)
    narrow = _mode_curves(prior.modes)
    believed = np.array([_BELIEVED * mode.adds_db for mode in prior.modes]) / _MODE_DB
    expected = prior.mean_db + believed @ narrow
    data = (deviation_db - expected)[seen]
    voice = spread**2 * _voice_covariance()
    rig = _rig_covariance(prior.filed) + narrow.T @ narrow
    whole = (rig + voice)[np.ix_(seen, seen)] + _doubt(error_db, trust, seen) + _LEVEL_DB**2
    shared, modes = rig[seen], narrow[:, seen]
    if phone is not None and (also := np.flatnonzero(phone.trust > 0.0)).size:
        across = voice[np.ix_(seen, also)]
        second = (voice + _phone_covariance())[np.ix_(also, also)] + _LEVEL_DB**2
        second += _doubt(phone.error_db, phone.trust, also)
        whole = np.block([[whole, across], [across.T, second]])
        data = np.concatenate([data, phone.deviation_db[also]])
        # What this rig adds is no part of what a phone hears.
        shared = np.vstack([shared, np.zeros((len(also), rig.shape[1]))])
        modes = np.hstack([modes, np.zeros((len(narrow), len(also)))])
    factor = np.linalg.cholesky(whole)
    half = np.linalg.solve(factor, shared)
    white = np.linalg.solve(factor, data)
    mean = expected + half.T @ white
    mean, variance = _around_mean(mean, rig - half.T @ half, weights)
    # The part of each resonance has a posterior of its own, under the same evidence.
    parts = np.linalg.solve(factor, modes.T).T @ white
    return RigColour(
        mean, np.sqrt(variance), tuple(float(part) for part in _MODE_DB * (believed + parts))
    )


def _doubt(error_db: Samples, trust: Samples, seen: npt.NDArray[np.intp]) -> Samples:
    """The variance of an estimate's own error, on the diagonal, dB²."""
    variance = np.maximum(error_db, _LEAST_ERROR_DB) ** 2 + _DOUBT_DB**2 * (
        1.0 / np.maximum(trust, _LEAST_TRUST) - 1.0
    )
    return np.diag(variance[seen])


def _phone_covariance() -> Samples:
    ends = (POINT_HZ < _PHONE_LOW_HZ) | (POINT_HZ > _PHONE_HIGH_HZ)
    own = _smooth(np.where(ends, _PHONE_ENDS_DB, _PHONE_DB), _PHONE_OCTAVES)
    return own + _PHONE_SINGLE_DB**2 * np.eye(len(POINT_HZ))


def _around_mean(mean: Samples, covariance: Samples, weights: Samples) -> tuple[Samples, Samples]:
    """Mean and variance with the overall level taken out, which no equalizer corrects."""
    share = weights / weights.sum()
    centred = np.eye(len(mean)) - share[None, :]
    variance = np.einsum("ij,jk,ik->i", centred, covariance, centred)
    return centred @ mean, np.maximum(variance, 0.0)


def _smooth(sd_db: Samples | float, octaves: float) -> Samples:
    """Covariance of a smooth curve: squared exponential over octaves."""
    sd = np.broadcast_to(np.asarray(sd_db, dtype=float), POINT_HZ.shape)
    return np.asarray(sd[:, None] * sd[None, :] * np.exp(-0.5 * (_APART / octaves) ** 2))


def _voice_covariance() -> Samples:
    ends = (POINT_HZ < _VOICE_LOW_HZ) | (POINT_HZ > _VOICE_HIGH_HZ)
    own = _smooth(np.where(ends, _VOICE_DB, _VOICE_MIDDLE_DB), _VOICE_OCTAVES)
    broad = _smooth(_VOICE_BROAD_DB, _VOICE_BROAD_OCTAVES)
    return own + broad + _VOICE_SINGLE_DB**2 * np.eye(len(POINT_HZ))


def _mode_curves(modes: tuple[RoomMode, ...]) -> Samples:
    """The shape of each resonance with its usual height, dB ``(modes, points)``."""
    at = np.array([np.log2(mode.frequency_hz) for mode in modes])
    away = _OCTAVE[None, :] - at.reshape(-1, 1)
    return np.asarray(_MODE_DB * np.exp(-0.5 * (away / _MODE_OCTAVES) ** 2))


def _rig_covariance(filed: Samples) -> Samples:
    free = np.where(filed, 0.0, 1.0)
    ends = (POINT_HZ < _FILE_LOW_HZ) | (POINT_HZ > _FILE_HIGH_HZ)
    file_db = np.where(filed, np.where(ends, _FILE_ENDS_DB, _FILE_DB), 0.0)
    return (
        _smooth(_RIG_DB * free, _RIG_OCTAVES)
        + _smooth(_RIG_FINE_DB * free, _RIG_FINE_OCTAVES)
        + _smooth(file_db, _FILE_OCTAVES)
    )


def prior_of(
    response_db: Samples | None,
    placement_db: Samples | None,
    modes: tuple[RoomMode, ...] = (),
) -> RigPrior:
    """What a microphone's response file, NaN where it has no say, and the physics of the placement
    tell of a rig, dB ``(points,)``, None where they are not given; and the room's resonances."""
    filed = np.zeros(len(POINT_HZ), dtype=bool) if response_db is None else np.isfinite(response_db)
    mean = np.zeros(len(POINT_HZ)) if response_db is None else np.nan_to_num(response_db)
    return RigPrior(mean if placement_db is None else mean + placement_db, filed, modes)
