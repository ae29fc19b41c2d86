"""What the equalizer has to correct: what the rig adds, as far as it is known, and what a person
asks for beside.

Source: see ``rig_colour`` for what belongs to the rig; practice for where a voice is believed.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.chain.filters import EqualizerBand, response_db
from obsidian_wren.core.decibels import Samples, power_db
from obsidian_wren.core.derive.equalizer_caps import CAREFUL, KNOWN, LIKELY, WIDE, Caps
from obsidian_wren.core.derive.rig_colour import (
    PhoneTake,
    RigColour,
    prior_of,
    rig_colour,
    within_level,
)
from obsidian_wren.core.derive.rig_knowledge import Evidence, Known, what_is_known
from obsidian_wren.core.derive.tone_target import Target, by_pitch
from obsidian_wren.core.derive.trust import trust_from_snr, without_noise
from obsidian_wren.core.measure.readings import QuietReading, TalkReading
from obsidian_wren.core.measure.room_modes import RoomMode
from obsidian_wren.core.measure.speech import Pitch
from obsidian_wren.core.measure.voice_spectrum import (
    CELL_HZ,
    POINT_HZ,
    POINT_WEIGHTS,
    FineSpectrum,
    certainty_db,
)

# How much a point counts in the fit where a response file speaks and the voice itself is too weak.
_FILE_TRUST = 0.15
_GAP_TRUST = 0.1
_BEYOND_REACH_DB, _NOTHING_LEFT_DB = 9.0, 20.0
_SLOPE_POINTS = 2
_HARMONIC_WIDTH = 1.06
# The error of a level from a single stretch, where no second one tells.
_ONE_STRETCH_DB = 1.5
_LEAST_ERROR_DB = 0.3
_TWO = 2
_ASKED_DB = 0.7
# A resonance is cut by no more, no narrower, and not where it is hardly heard.
_LEAST_MODE_DB, _MOST_MODE_DB, _MODE_Q = 2.0, 9.0, (3.0, 6.0)
# So much of a bell of that width is left in the third octaves that the voice is seen in.
_LEFT_OF_BELL = 0.62
# A whisper is no average speech: it stands much further from it than any voice.
_WHISPER_SPREAD = 3.0
# Bands may miss by this share of what is not known: it adds little beside it.
_MAY_MISS = 0.5
# A response file or a reference take tells a colour this well; then it may be corrected whole.
_KNOWN_DB = 1.25
# A phone tells it this well.
_LIKELY_DB = 1.6


@dataclass(frozen=True)
class ToneAims:
    """What a person wants of the tone, and what is known of the rig beside the voice.

    ``target`` is what the voice is held against; the microphone's own response (NaN where a file
    has no say) and what the placement adds are ``(points,)`` in dB. ``shape`` is how far the voice
    itself is brought towards the target, 0 to 1; ``bend_db`` ``(points,)`` bends the result;
    ``live`` says that the room is as strong as the voice, so that bands stay wide; ``modes`` are
    the resonances that the room's decay showed; ``phone`` is the same voice as a phone heard it.
    """

    target: Target | None = None
    mic_response_db: Samples | None = None
    placement_db: Samples | None = None
    shape: float = 0.0
    bend_db: Samples | None = None
    live: bool = False
    modes: tuple[RoomMode, ...] = ()
    phone: TalkReading | None = None


@dataclass(frozen=True)
class ToneProblem:
    """What the bands are fitted to: the voice and how far each point counts, the levels that it is
    brought to, the evidence ``(points,)`` in dB, and how far a correction may go."""

    voice: FineSpectrum
    trust: Samples
    aim: Target
    deviation_db: Samples
    colour: RigColour
    wanted_db: Samples
    caps: Caps
    name: str
    known: tuple[Known, ...]
    resonances: tuple[EqualizerBand, ...] = ()


def tone_problem(
    talk: TalkReading, quiet: QuietReading, sections: Samples | None, aims: ToneAims
) -> ToneProblem:
    """What is to be corrected of a talk over a room behind filters ``(k, 6)``.

    Raises ValueError where the voice stands over the noise nowhere.
    """
    average = by_pitch(talk.pitch_hz)
    target = aims.target or average
    prior = prior_of(aims.mic_response_db, aims.placement_db, aims.modes)
    voice = without_noise(talk.voice, quiet.noise)
    heard = _within_band(voice, trust_from_snr(talk.voice, quiet.noise), target)
    heard = np.where((target.low_hz <= POINT_HZ) & (target.high_hz >= POINT_HZ), heard, 0.0)
    same = target.kind == "same voice"
    voiced = heard if same else _told(heard, talk.pitch_hz)
    if not voiced.any():
        raise ValueError("The voice is above the noise in less than one octave.")
    error = _error_db(talk)
    phone = None if aims.phone is None else _phone_take(aims.phone, average)
    spread = _WHISPER_SPREAD if talk.pitch_hz is None else 1.0
    away = within_level(voice.points_db() - target.levels_db, voiced)
    if same:
        trust = heard
        colour = RigColour(away, error)
        wanted, unsure = -away, np.broadcast_to(target.corridor_db, away.shape)
    else:
        trust = np.maximum(
            heard, np.where(prior.filed & (target.low_hz <= POINT_HZ), _FILE_TRUST, 0.0)
        )
        colour = rig_colour(
            voice.points_db() - average.levels_db,
            error,
            voiced,
            prior,
            spread=spread,
            phone=phone,
        )
        own = np.where(voiced > 0.0, away - colour.mean_db, 0.0)
        wanted = -(colour.mean_db + aims.shape * own)
        unsure = (1.0 - aims.shape) * _MAY_MISS * colour.sd_db + aims.shape * np.maximum(
            error, target.corridor_db
        )
    sure_db = float(np.average(colour.sd_db, weights=trust))
    if aims.bend_db is not None and np.any(aims.bend_db):
        wanted = wanted + aims.bend_db
        # What a person asks for is not uncertain.
        unsure = np.minimum(unsure, _ASKED_DB)
    cells = voice.cells
    if sections is not None:
        cells = cells * 10.0 ** (response_db(sections, CELL_HZ, rate_hz=talk.rate_hz) / 10.0)
    levels = power_db(np.maximum(POINT_WEIGHTS @ cells, 1e-30)) + wanted
    return ToneProblem(
        voice,
        trust,
        Target(levels, target.low_hz, target.high_hz, unsure, target.name, target.kind),
        away,
        colour,
        wanted,
        _caps(sure_db, live=aims.live and not same),
        target.name,
        what_is_known(
            Evidence(
                error,
                voiced,
                prior,
                aims.placement_db,
                talk.duration_s,
                sure_db if same else None,
                spread,
                phone,
            )
        ),
        _cuts(colour, aims.modes),
    )


def _phone_take(heard: TalkReading, average: Target) -> PhoneTake:
    """What a phone heard, against the same average speech, as far up as its sound goes."""
    trust = _within_band(heard.voice, np.ones(len(POINT_HZ)), average)
    return PhoneTake(
        heard.voice.points_db() - average.levels_db,
        _error_db(heard),
        _told(np.where(average.low_hz <= POINT_HZ, trust, 0.0), heard.pitch_hz),
    )


def _cuts(colour: RigColour, modes: tuple[RoomMode, ...]) -> tuple[EqualizerBand, ...]:
    """A narrow cut for each resonance that both the room's decay and the voice show, as narrow as
    its decay says: the bandwidth of a line that decays by 60 dB in T seconds is 2.2 / T."""
    return tuple(
        EqualizerBand(
            "peak",
            round(mode.frequency_hz, 1),
            round(-min(part / _LEFT_OF_BELL, _MOST_MODE_DB), 2),
            round(float(np.clip(mode.frequency_hz * mode.decay_s / 2.2, *_MODE_Q)), 2),
        )
        for mode, part in zip(modes, colour.modes_db, strict=False)
        if part >= _LEAST_MODE_DB
    )


def _caps(sure_db: float, *, live: bool) -> Caps:
    if live:
        return WIDE
    if sure_db <= _KNOWN_DB:
        return KNOWN
    return LIKELY if sure_db <= _LIKELY_DB else CAREFUL


def _told(heard: np.ndarray, pitch: Pitch | None) -> np.ndarray:
    """How far each point tells of the rig: not under the voice, and little between its notes."""
    if pitch is None:
        return heard
    return np.asarray(np.where(pitch.p5 > POINT_HZ * 1.05, 0.0, heard) * _between_harmonics(pitch))


def _error_db(talk: TalkReading) -> Samples:
    if len(talk.stretches_db) < _TWO:
        return np.full(len(POINT_HZ), _ONE_STRETCH_DB)
    return np.maximum(certainty_db(talk.stretches_db), _LEAST_ERROR_DB)


def _between_harmonics(pitch: Pitch) -> np.ndarray:
    """Little trust where this voice never has a harmonic: between the highest fundamental and the
    lowest second harmonic, and so on.

    A dip there belongs to the pitch and not to the microphone or the room.
    """
    factor = np.ones(len(POINT_HZ))
    for number in (1, 2):
        inside = (number * pitch.p95 * _HARMONIC_WIDTH < POINT_HZ) & (
            (number + 1) * pitch.p5 / _HARMONIC_WIDTH > POINT_HZ
        )
        factor[inside] = _GAP_TRUST
    return factor


def _within_band(voice: FineSpectrum, trust: np.ndarray, target: Target) -> np.ndarray:
    """No trust past the end of the sound: where a path or a coder cuts the band off, the voice
    falls far under any target."""
    weights = trust * (POINT_HZ >= target.low_hz)
    if not weights.any():
        return trust
    deviation = voice.points_db() - target.levels_db
    deviation -= float(np.average(deviation, weights=weights))
    inside = np.flatnonzero(weights > 0.0)
    end = inside[-1]
    # The same voice falls that far only where nothing comes through.
    reach_db = _NOTHING_LEFT_DB if target.kind == "same voice" else _BEYOND_REACH_DB
    while end > inside[0] and deviation[end] < -reach_db:
        end -= 1
    if end == inside[-1]:
        return trust
    # The slope towards the cut is not the voice's either.
    return np.where(np.arange(len(trust)) > end - _SLOPE_POINTS, 0.0, trust)
