"""What each cause does to a sounding, as physics says it: a mean that depends on one number, or a
covariance over what nobody can know before.

Sources: the direct sound falls with the distance and the reverberation does not (Kuttruff, Room
Acoustics); a cardioid on a spherical wave, H(f, r) = ½·(1 + (1 + c/(j·2πf·r))), and ½·(1 + cos θ)
off its axis; Rasmussen and Williams (2006), chapter 2, for covariances over log frequency.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from obsidian_wren.core.decibels import Samples, power_db
from obsidian_wren.core.prove.change import SoundingChange
from obsidian_wren.core.prove.sounding import VOICE_HZ

Code = Literal[
    "distance",
    "angle",
    "gain",
    "slider",
    "pad",
    "microphone",
    "screen",
    "hum",
    "noise",
    "reverb",
    "processing",
    "voice",
    "unexplained",
]
SPEED_OF_SOUND = 343.0
# How far each cause usually goes, dB.
_GAIN_DB, _VOICE_DB, _TILT_DB = 7.0, 2.5, 1.2
_CONVERTER_SHARES = (0.0, 0.01, 0.03, 0.07, 0.15, 0.3, 0.6, 0.9)
_MICROPHONE_DB, _MICROPHONE_OCTAVES, _SENSITIVITY_DB = 4.0, 0.7, 7.0
_SCREEN_DB, _SCREEN_HZ = 3.0, 5000.0
_NOISE_DB, _NOISE_OCTAVES, _NOISE_FINE_DB, _NOISE_BAND_DB = 8.0, 1.5, 2.0, 0.5
_NOISE_FINE_OCTAVES = 0.5
_NOISE_RANGES_HZ = (
    (0.0, 30_000.0),
    *((0.0, high) for high in (400.0, 1000.0, 2500.0, 6000.0)),
    *((low, 30_000.0) for low in (200.0, 600.0, 2000.0)),
)
# So much more likely is a slider that left its trace.
_SEEN = 8.0
_PAUSES_DB, _FELL_DB = 3.0, 3.0
_HUM_DB, _LEAK_DB, _LEAK_TO_HZ = 9.0, 1.5, 450.0
_LATE_DB, _SUPPRESSED_DB, _HELD_DB = 3.0, 14.0, 5.0
# Where nobody said how far away: a hand's width or two.
_USUAL_M, _USUAL_SPREAD, _SAID_SPREAD = 0.22, 0.35, 0.015
_NEAREST_M, _FARTHEST_M = 0.03, 1.6
_THEN_STEPS, _NOW_STEPS = 13, 121
_FARTHER = 0.5
# A cardioid loses 2.5 dB by 60 degrees and 6 dB by 90; seldom was it far off its axis before.
_ANGLES_DB = np.concatenate([np.arange(-6.0, -0.14, 0.1), np.arange(0.2, 3.01, 0.1)])
_TURNED_AWAY_DB, _TURNED_BACK_DB = 2.0, 0.8


@dataclass(frozen=True)
class Model:
    """One cause: covariance ``(n, n)`` of what it adds, and where it has a number means ``(k, n)``
    for ``k`` values of it with their log prior weights ``(k,)``; ``values`` ``(k,)`` or ``(k, 2)``
    are those numbers. ``log_prior``: how usual it is."""

    code: Code
    log_prior: float
    covariance: Samples
    means: Samples | None = None
    values: Samples | None = None
    log_weights: Samples | None = None


def models(
    change: SoundingChange, *, distance_m: float | None, direct_over_room_db: float
) -> list[Model]:
    """Every cause that one change is looked at for. ``distance_m``: what was known of the distance
    then, in metres."""
    octaves_voice, octaves_noise = np.log2(VOICE_HZ), np.log2(change.noise_hz)
    voice, noise, size = change.voice, change.noise, len(change.db)
    both = np.zeros(size)
    both[voice] = both[noise] = 1.0
    both[change.hum] = 1.0 if change.then.hum_dbfs is not None else 0.0
    spoken = np.zeros(size)
    spoken[voice] = 1.0
    tilt = np.zeros(size)
    tilt[voice] = octaves_voice - np.log2(1000.0)
    screen = np.zeros(size)
    screen[voice] = VOICE_HZ**2 / (VOICE_HZ**2 + _SCREEN_HZ**2)
    everywhere = np.concatenate([octaves_voice, octaves_noise])
    response = np.zeros((size, size))
    heard = slice(0, len(everywhere))
    response[heard, heard] = _MICROPHONE_DB**2 * _near(everywhere, _MICROPHONE_OCTAVES)
    response += _SENSITIVITY_DB**2 * np.outer(both, both)
    hum = np.zeros((size, size))
    hum[change.hum, change.hum] = _HUM_DB**2
    leaks = np.flatnonzero(change.noise_hz <= _LEAK_TO_HZ) + noise.start
    hum[leaks, leaks] = _LEAK_DB**2
    late = np.zeros((size, size))
    late[change.late, change.late] = _LATE_DB**2
    quiet = np.zeros(size)
    quiet[noise] = 1.0
    suppressed = _SUPPRESSED_DB**2 * np.outer(quiet, quiet)
    suppressed[noise, noise] += 2.0**2 * _near(octaves_noise, _NOISE_OCTAVES)
    suppressed[change.pauses, change.pauses] = 12.0**2
    suppressed[change.hum, change.hum] = _SUPPRESSED_DB**2
    suppressed[change.range, change.range] = _HELD_DB**2
    spoke = _VOICE_DB**2 * np.outer(spoken, spoken) + _TILT_DB**2 * np.outer(tilt, tilt)
    spoke[change.range, change.range] = 1.5**2
    usual = -3.0
    found = [
        _gain(change, both, usual + (_SEEN if change.slider_moved else 0.0)),
        _distance(change, distance_m, direct_over_room_db),
        _angle(change),
        *_noises(change, usual),
        Model("hum", usual, hum),
        Model("screen", usual - 1.5, _SCREEN_DB**2 * np.outer(screen, screen)),
        Model("reverb", usual - 1.5, late),
        Model("microphone", usual - 5.0, response),
        *([Model("processing", usual - 3.0, suppressed)] if _fell(change) else []),
        *([] if change.same_sound else [Model("voice", usual - 2.5, spoke)]),
    ]
    return [
        replace(model, log_prior=model.log_prior + change.more_usual.get(model.code, 0.0))
        for model in found
    ]


def _gain(change: SoundingChange, both: Samples, log_prior: float) -> Model:
    """Voice and room together; what the converter adds behind the gain stays as it was.

    How much of the floor that is, at the frequency where it is most, nobody knows before."""
    powers = 10.0 ** (np.interp(change.noise_hz, change.then.noise_hz, change.then.noise_db) / 10.0)
    white = change.noise_hz * float(np.min(powers / change.noise_hz))
    turned = 10.0 ** (float(np.median(change.db[change.noise])) / 10.0)
    means = np.zeros((len(_CONVERTER_SHARES), len(change.db)))
    for mean, share in zip(means, _CONVERTER_SHARES, strict=True):
        own = share * white
        mean[change.noise] = power_db(((powers - own) * turned + own) / (powers * turned))
    return Model(
        "gain",
        log_prior,
        _GAIN_DB**2 * np.outer(both, both),
        means=means,
        values=np.array(_CONVERTER_SHARES),
        log_weights=np.full(len(means), -np.log(len(means))),
    )


def _fell(change: SoundingChange) -> bool:
    """Whether the noise fell: a processor takes it away."""
    return float(np.median(change.db[change.noise])) < -_FELL_DB


def _noises(change: SoundingChange, usual: float) -> list[Model]:
    """A noise more or less in the room: over all bands, or under or over a frequency."""
    octaves = np.log2(change.noise_hz)
    whole = _NOISE_DB**2 * _near(octaves, _NOISE_OCTAVES)
    whole += _NOISE_FINE_DB**2 * _near(octaves, _NOISE_FINE_OCTAVES)
    whole += np.diag(np.full(len(octaves), _NOISE_BAND_DB**2))
    found = []
    for low, high in _NOISE_RANGES_HZ:
        inside = ((change.noise_hz >= low) & (change.noise_hz <= high)).astype(float)
        covariance = np.zeros((len(change.db), len(change.db)))
        covariance[change.noise, change.noise] = whole * np.outer(inside, inside)
        covariance[change.pauses, change.pauses] = _PAUSES_DB**2
        found.append(Model("noise", usual - np.log(len(_NOISE_RANGES_HZ)), covariance))
    return found


def _near(octaves: Samples, length: float) -> Samples:
    return np.asarray(np.exp(-0.5 * ((octaves[:, None] - octaves[None, :]) / length) ** 2))


def proximity_db(distance_m: Samples) -> Samples:
    """What a cardioid adds to a voice at ``(k,)`` metres, at the voice bands: dB ``(k, bands)``."""
    gradient = SPEED_OF_SOUND / (4.0 * np.pi * VOICE_HZ[None, :] * distance_m[:, None])
    return np.asarray(10.0 * np.log10(1.0 + gradient**2))


def _distance(
    change: SoundingChange, distance_m: float | None, direct_over_room_db: float
) -> Model:
    """From every distance that it may have been to every one that it may be."""
    centre, spread = (_USUAL_M, _USUAL_SPREAD) if distance_m is None else (distance_m, _SAID_SPREAD)
    steps = np.linspace(-2.0, 2.0, _THEN_STEPS)
    then = centre * np.exp(spread * steps)
    # Log ratio of the distances, without what nobody would notice.
    ratio = np.linspace(-1.5, 1.5, _NOW_STEPS)
    r0, q = (grid.ravel() for grid in np.meshgrid(then, np.exp(ratio), indexing="ij"))
    prior = -0.5 * np.repeat(steps, len(ratio)) ** 2 - 0.5 * (np.log(q) / _FARTHER) ** 2
    r1 = r0 * q
    possible = (r1 > _NEAREST_M) & (r1 < _FARTHEST_M)
    r0, r1, prior = r0[possible], r1[possible], prior[possible]
    means = np.zeros((len(r0), len(change.db)))
    room = 10.0 ** (-direct_over_room_db / 10.0)
    direct = (r0 / r1) ** 2
    boost = proximity_db(r1) - proximity_db(r0)
    means[:, change.voice] = power_db(
        (direct[:, None] * 10.0 ** (boost / 10.0) + room) / (1.0 + room)
    )
    nearer = -power_db(direct)
    shares = change.late_shares
    means[:, change.late] = np.where(nearer > 0.0, shares.farther, shares.nearer) * nearer
    return Model(
        "distance",
        -3.0,
        covariance=_unsure(change, 0.04),
        means=means,
        values=np.column_stack([r0, r1]),
        log_weights=_normalised(prior),
    )


def _angle(change: SoundingChange) -> Model:
    """Turned away (the direct sound falls) or back to the axis."""
    means = np.zeros((len(_ANGLES_DB), len(change.db)))
    means[:, change.voice] = _ANGLES_DB[:, None]
    means[:, change.late] = -change.late_shares.turned * _ANGLES_DB
    return Model(
        "angle",
        -3.0,
        covariance=_unsure(change, 0.02),
        means=means,
        values=_ANGLES_DB,
        log_weights=_normalised(
            -0.5 * (_ANGLES_DB / np.where(_ANGLES_DB < 0.0, _TURNED_AWAY_DB, _TURNED_BACK_DB)) ** 2
        ),
    )


def _unsure(change: SoundingChange, share: float) -> Samples:
    """What is not known of a move: how the room answers, and how far a mouth is a point."""
    moved = float(np.median(change.db[change.voice]))
    unsure = np.zeros(len(change.db))
    unsure[change.voice] = (share * moved) ** 2
    unsure[change.late] = (change.late_shares.unsure * moved) ** 2
    return np.diag(unsure)


def _normalised(log_weights: Samples) -> Samples:
    top = log_weights.max()
    return np.asarray(log_weights - top - np.log(np.sum(np.exp(log_weights - top))))
