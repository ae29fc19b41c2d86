"""Tone: the equalizer's bands with a name and a because each."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.chain.filters import EqualizerBand, highpass_sections
from obsidian_wren.core.derive import equalizer_fit
from obsidian_wren.core.derive.equalizer_fit import EqualizerFit
from obsidian_wren.core.derive.highpass import HighpassRule
from obsidian_wren.core.derive.regions import region
from obsidian_wren.core.derive.setting import hz
from obsidian_wren.core.derive.tone_target import Target, average_speech
from obsidian_wren.core.measure.readings import QuietReading, TalkReading
from obsidian_wren.core.measure.speech import Pitch
from obsidian_wren.core.measure.voice_spectrum import CELL_HZ, POINT_HZ, FineSpectrum

# How strongly a response file speaks where the voice itself is too weak.
_FILE_TRUST = 0.15
_GAP_TRUST = 0.1
_BEYOND_REACH_DB = 9.0
_SLOPE_POINTS = 2
_HARMONIC_WIDTH = 1.06


@dataclass(frozen=True)
class NamedBand:
    """A band with the trade's word for its region, its because and whether a person pinned it."""

    name: str
    band: EqualizerBand
    pinned: bool
    because: str


@dataclass(frozen=True)
class Tone:
    """The tone rule's answer: named bands, the fit's evidence, and a sentence on what was left alone."""

    bands: tuple[NamedBand, ...]
    fit: EqualizerFit
    left_alone: str


def derive_tone(
    talk: TalkReading, quiet: QuietReading, highpass: HighpassRule, *, pinned: Sequence[EqualizerBand] = (),
    target: Target | None = None, mic_response_db: np.ndarray | None = None,
) -> Tone:  # fmt: skip
    """Fit the equalizer to this voice over this room.

    ``mic_response_db`` ``(points,)`` is the microphone's response at ``POINT_HZ`` where a file gives it, NaN elsewhere: it speaks
    only where the voice is too weak to be trusted. Raises ValueError where no octave of voice stands over the noise.
    """
    target = target or average_speech()
    voice, trust = _voice_and_trust(talk, quiet, target, mic_response_db)
    fit = equalizer_fit.fit_equalizer(
        voice, target, trust, rate_hz=talk.rate_hz, highpass_sections=_sections(highpass, talk.rate_hz), pinned=pinned
    )
    return _explain(fit, talk.rate_hz)


def judge_tone(
    talk: TalkReading, quiet: QuietReading, highpass: HighpassRule, bands: Sequence[EqualizerBand], pinned: Sequence[bool]
) -> Tone:
    """The evidence for bands that a person has nudged; nothing is fitted."""
    target = average_speech()
    voice, trust = _voice_and_trust(talk, quiet, target, None)
    return _explain(
        equalizer_fit.refit_evidence(
            voice, target, trust, bands, pinned, rate_hz=talk.rate_hz, highpass_sections=_sections(highpass, talk.rate_hz)
        ),
        talk.rate_hz,
    )


def _sections(highpass: HighpassRule, rate_hz: float) -> np.ndarray:
    return highpass_sections(highpass.frequency_hz.value, order=int(highpass.order.value), rate_hz=rate_hz)


def _voice_and_trust(
    talk: TalkReading, quiet: QuietReading, target: Target, mic_response_db: np.ndarray | None
) -> tuple[FineSpectrum, np.ndarray]:
    trust = equalizer_fit.trust_from_snr(talk.voice, quiet.noise)
    voice = equalizer_fit.without_noise(talk.voice, quiet.noise)
    if talk.pitch_hz is not None:
        trust = np.where(talk.pitch_hz.p5 > POINT_HZ * 1.05, 0.0, trust) * _between_harmonics(talk.pitch_hz)
    trust = _within_band(voice, trust, target)
    if mic_response_db is not None:
        voice, trust = _fill_from_file(voice, trust, target, mic_response_db)
    return voice, trust


def _between_harmonics(pitch: Pitch) -> np.ndarray:
    """Little trust where this voice never has a harmonic: between the highest fundamental and the lowest second harmonic, and so on.

    A dip there belongs to the pitch and not to the microphone or the room.
    """
    factor = np.ones(len(POINT_HZ))
    for number in (1, 2):
        inside = (number * pitch.p95 * _HARMONIC_WIDTH < POINT_HZ) & ((number + 1) * pitch.p5 / _HARMONIC_WIDTH > POINT_HZ)
        factor[inside] = _GAP_TRUST
    return factor


def _within_band(voice: FineSpectrum, trust: np.ndarray, target: Target) -> np.ndarray:
    """No trust past the end of the sound: where a path or a coder cuts the band off, the voice falls far under any target."""
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


def _fill_from_file(voice: FineSpectrum, trust: np.ndarray, target: Target, mic_response_db: np.ndarray) -> tuple[FineSpectrum, np.ndarray]:
    """Where the voice is silent, pretend an average voice through this microphone, joined to the real one in level."""
    weak = (trust == 0.0) & np.isfinite(mic_response_db) & (target.low_hz <= POINT_HZ)
    if not weak.any() or not (trust > 0.5).any():
        return voice, trust
    points = voice.points_db()
    expected = target.levels_db + np.nan_to_num(mic_response_db)
    join = float(np.average((points - expected)[trust > 0.5]))
    change_db = np.where(weak, expected + join - points, 0.0)
    cells_db = np.interp(np.log(CELL_HZ), np.log(POINT_HZ), change_db)
    return FineSpectrum(voice.cells * 10.0 ** (cells_db / 10.0), voice.top_hz), np.where(weak, _FILE_TRUST, trust)


def _explain(fit: EqualizerFit, rate_hz: float) -> Tone:
    bands = tuple(
        NamedBand(region(band.frequency_hz), band, held, _because(band, held, fit, rate_hz))
        for band, held in zip(fit.bands, fit.pinned, strict=True)
    )
    left_alone = f"Left alone under {hz(fit.low_hz)} and above {hz(fit.high_hz)}: too little voice there, a boost would only lift the room."
    return Tone(bands, fit, left_alone)


def _because(band: EqualizerBand, held: bool, fit: EqualizerFit, rate_hz: float) -> str:
    """What the voice would be like without this band, the others at work."""
    own = equalizer_fit.eq_response_db([band], POINT_HZ, rate_hz=rate_hz)
    without = fit.corrected_db - own - fit.target_db
    inside = (np.abs(own) >= 0.5 * np.abs(own).max()) & (fit.trust > 0.0)
    if not inside.any():
        inside = np.abs(np.log2(POINT_HZ / band.frequency_hz)) < 0.2
    mean = float(np.average(without[inside], weights=np.maximum(fit.trust[inside], 1e-3)))
    span = f"{hz(float(POINT_HZ[inside][0]))} to {hz(float(POINT_HZ[inside][-1]))}"
    text = f"Without it your voice stands {abs(mean):.1f} dB {'over' if mean > 0 else 'under'} the middle of the corridor from {span}."
    if not held and band.gain_db >= equalizer_fit.BOOST_DB - 0.05:
        text += " The boost is held at its cap."
    elif not held and band.gain_db <= -equalizer_fit.CUT_DB + 0.05:
        text += " The cut is held at its cap."
    return f"You set this. {text}" if held else text
