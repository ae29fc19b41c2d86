"""Tone: the equalizer's bands with a name and a because each.

Source: Byrne and others (1994) for average speech; practice for caps and names.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.chain.filters import EqualizerBand
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive import equalizer_fit, equalizer_problem
from obsidian_wren.core.derive.equalizer_fit import EqualizerFit
from obsidian_wren.core.derive.regions import region_names
from obsidian_wren.core.derive.setting import hz
from obsidian_wren.core.derive.tone_target import Target, by_pitch
from obsidian_wren.core.derive.trust import trust_from_snr, without_noise
from obsidian_wren.core.measure.readings import QuietReading, TalkReading
from obsidian_wren.core.measure.speech import Pitch
from obsidian_wren.core.measure.voice_spectrum import CELL_HZ, POINT_HZ, FineSpectrum, certainty_db

# How strongly a response file speaks where the voice itself is too weak.
_FILE_TRUST = 0.15
_GAP_TRUST = 0.1
_BEYOND_REACH_DB = 9.0
_SLOPE_POINTS = 2
_HARMONIC_WIDTH = 1.06
_INSIDE_OCTAVES = 0.2
_MOSTLY = 0.5


@dataclass(frozen=True)
class NamedBand:
    """A band with the trade's word for its region, its because and whether a person pinned it.

    ``sure_db``: how far the voice's level there may be off, one standard error over time; None from
    a single stretch.
    """

    name: str
    band: EqualizerBand
    pinned: bool
    because: str
    sure_db: float | None = None


@dataclass(frozen=True)
class Tone:
    """The tone rule's answer: named bands, the fit's evidence, a sentence on what was left
    alone, and how sure the voice's spectrum is at each point, dB ``(points,)``."""

    bands: tuple[NamedBand, ...]
    fit: EqualizerFit
    left_alone: str
    target_name: str
    certainty_db: np.ndarray | None


def derive_tone(
    talk: TalkReading,
    quiet: QuietReading,
    sections: Samples | None,
    *,
    pinned: Sequence[EqualizerBand] = (),
    target: Target | None = None,
    mic_response_db: np.ndarray | None = None,
) -> Tone:
    """Fit the equalizer to this voice over this room.

    ``sections`` ``(k, 6)`` are the filters before the equalizer. ``mic_response_db`` ``(points,)``
    is the microphone's response at ``POINT_HZ`` where a file gives it, NaN elsewhere: an average
    voice through it stands in wherever this voice is too weak to be trusted fully. Raises
    ValueError where no octave of voice stands over the noise.
    """
    target = target or by_pitch(talk.pitch_hz)
    voice, trust = _voice_and_trust(talk, quiet, target, mic_response_db)
    fit = equalizer_fit.fit_equalizer(
        voice, target, trust, rate_hz=talk.rate_hz, highpass_sections=sections, pinned=pinned
    )
    return _explain(fit, talk, target)


def judge_tone(
    talk: TalkReading,
    quiet: QuietReading,
    sections: Samples | None,
    bands: Sequence[EqualizerBand],
    pinned: Sequence[bool],
    *,
    target: Target | None = None,
    mic_response_db: np.ndarray | None = None,
) -> Tone:
    """The evidence for bands that a person has nudged; nothing is fitted.

    Sections are ``(sections, 6)``; the response is ``(points,)``, dB.
    """
    target = target or by_pitch(talk.pitch_hz)
    voice, trust = _voice_and_trust(talk, quiet, target, mic_response_db)
    fit = equalizer_fit.refit_evidence(
        voice, target, trust, bands, pinned, rate_hz=talk.rate_hz, highpass_sections=sections
    )
    return _explain(fit, talk, target)


def _voice_and_trust(
    talk: TalkReading, quiet: QuietReading, target: Target, mic_response_db: np.ndarray | None
) -> tuple[FineSpectrum, np.ndarray]:
    trust = trust_from_snr(talk.voice, quiet.noise)
    voice = without_noise(talk.voice, quiet.noise)
    if talk.pitch_hz is not None:
        trust = np.where(talk.pitch_hz.p5 > POINT_HZ * 1.05, 0.0, trust) * _between_harmonics(
            talk.pitch_hz
        )
    trust = _within_band(voice, trust, target)
    if mic_response_db is not None:
        voice, trust = _fill_from_file(voice, trust, target, mic_response_db)
    return voice, trust


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
    while end > inside[0] and deviation[end] < -_BEYOND_REACH_DB:
        end -= 1
    if end == inside[-1]:
        return trust
    # The slope towards the cut is not the voice's either.
    return np.where(np.arange(len(trust)) > end - _SLOPE_POINTS, 0.0, trust)


def _fill_from_file(
    voice: FineSpectrum, trust: np.ndarray, target: Target, mic_response_db: np.ndarray
) -> tuple[FineSpectrum, np.ndarray]:
    """The microphone's file first, the voice on top: what the voice cannot be trusted to tell,
    an average voice through this microphone tells, joined to the real one in level. Where the
    voice is sure the file has no say."""
    known = np.isfinite(mic_response_db) & (target.low_hz <= POINT_HZ)
    if not (known & (trust < 1.0)).any() or not (trust > _MOSTLY).any():
        return voice, trust
    points = voice.points_db()
    expected = target.levels_db + np.nan_to_num(mic_response_db)
    join = float(np.average((points - expected)[trust > _MOSTLY]))
    say = np.where(known, (1.0 - trust) * _FILE_TRUST, 0.0)
    change_db = say / np.maximum(say + trust, 1e-9) * (expected + join - points)
    cells_db = np.interp(np.log(CELL_HZ), np.log(POINT_HZ), change_db)
    return FineSpectrum(voice.cells * 10.0 ** (cells_db / 10.0), voice.top_hz), trust + say


def _explain(fit: EqualizerFit, talk: TalkReading, target: Target) -> Tone:
    sure = certainty_db(talk.stretches_db) if len(talk.stretches_db) > 1 else None
    names = region_names([band.frequency_hz for band in fit.bands])
    bands = tuple(
        NamedBand(
            name,
            band,
            held,
            _because(band, held, fit, talk.rate_hz),
            _sure_of(band, sure, talk.rate_hz),
        )
        for name, band, held in zip(names, fit.bands, fit.pinned, strict=True)
    )
    left_alone = (
        f"Left alone under {hz(fit.low_hz)} and above {hz(fit.high_hz)}: too little voice there, a"
        " boost would only lift the room."
    )
    return Tone(bands, fit, left_alone, target.name, sure)


def _sure_of(band: EqualizerBand, sure: np.ndarray | None, rate_hz: float) -> float | None:
    """The mean uncertainty over the half of a band that acts most."""
    if sure is None:
        return None
    own = np.abs(equalizer_problem.eq_response_db([band], POINT_HZ, rate_hz=rate_hz))
    return float(np.average(sure, weights=np.where(own >= 0.5 * own.max(), 1.0, 1e-9)))


def _because(band: EqualizerBand, held: bool, fit: EqualizerFit, rate_hz: float) -> str:
    """What the voice would be like without this band, the others at work."""
    own = equalizer_problem.eq_response_db([band], POINT_HZ, rate_hz=rate_hz)
    without = fit.corrected_db - own - fit.target_db
    inside = (np.abs(own) >= 0.5 * np.abs(own).max()) & (fit.trust > 0.0)
    if not inside.any():
        inside = np.abs(np.log2(POINT_HZ / band.frequency_hz)) < _INSIDE_OCTAVES
    mean = float(np.average(without[inside], weights=np.maximum(fit.trust[inside], 1e-3)))
    span = f"{hz(float(POINT_HZ[inside][0]))} to {hz(float(POINT_HZ[inside][-1]))}"
    text = (
        f"Without it your voice is {abs(mean):.1f} dB {'over' if mean > 0 else 'under'} the"
        f" middle of the target range from {span}."
    )
    if not held and band.gain_db >= equalizer_problem.BOOST_DB - 0.05:
        text += " The boost is limited to its cap."
    elif not held and band.gain_db <= -equalizer_problem.CUT_DB + 0.05:
        text += " The cut is limited to its cap."
    return f"You set this. {text}" if held else text
