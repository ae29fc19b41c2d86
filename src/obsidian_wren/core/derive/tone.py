"""Tone: what the rig adds, as far as it is known, and the equalizer's bands that take it out, each
with a name and a because.

Source: see ``rig_colour`` for what belongs to the rig; practice for caps and names.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.chain.filters import EqualizerBand
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive import equalizer_fit, equalizer_problem
from obsidian_wren.core.derive.equalizer_fit import EqualizerFit
from obsidian_wren.core.derive.regions import heard_at_hz, region_names
from obsidian_wren.core.derive.rig_colour import RigColour, within_level
from obsidian_wren.core.derive.rig_knowledge import Known
from obsidian_wren.core.derive.tone_problem import ToneAims, ToneProblem, tone_problem
from obsidian_wren.core.measure.readings import QuietReading, TalkReading
from obsidian_wren.core.measure.voice_spectrum import (
    POINT_HZ,
)
from obsidian_wren.core.numerals import frequency
from obsidian_wren.core.wording import _

_INSIDE_OCTAVES = 0.2
_PLAIN = ToneAims()


@dataclass(frozen=True)
class NamedBand:
    """A band with the trade's word for its region, its because and whether a person pinned it.

    ``sure_db``: how far what it corrects may be off, one standard deviation.
    """

    name: str
    band: EqualizerBand
    pinned: bool
    because: str
    sure_db: float


@dataclass(frozen=True)
class Tone:
    """The tone rule's answer: named bands, the fit's evidence, a sentence on what was left alone.

    ``deviation_db`` is the voice over its target and ``colour`` what of it the rig adds;
    ``wanted_db`` is the correction that was asked of the bands and ``correction_db`` what they
    give, all ``(points,)`` at the points of the voice spectrum, dB around their mean over the
    points that count.
    """

    bands: tuple[NamedBand, ...]
    fit: EqualizerFit
    left_alone: str
    target_name: str
    deviation_db: Samples
    colour: RigColour
    wanted_db: Samples
    correction_db: Samples
    known: tuple[Known, ...]


def derive_tone(
    talk: TalkReading,
    quiet: QuietReading,
    sections: Samples | None,
    *,
    pinned: Sequence[EqualizerBand] = (),
    aims: ToneAims = _PLAIN,
) -> Tone:
    """Fit the equalizer to what the rig adds to this voice over this room.

    ``sections`` ``(k, 6)`` are the filters before the equalizer: what they take is wanted and not
    made up for. Raises ValueError where no octave of voice stands over the noise.
    """
    problem = tone_problem(talk, quiet, sections, aims)
    fit = equalizer_fit.fit_equalizer(
        problem.voice,
        problem.aim,
        problem.trust,
        rate_hz=talk.rate_hz,
        highpass_sections=sections,
        pinned=pinned,
        given=problem.resonances,
        caps=problem.caps,
    )
    return _explain(fit, problem, talk.rate_hz)


def judge_tone(
    talk: TalkReading,
    quiet: QuietReading,
    sections: Samples | None,
    bands: Sequence[EqualizerBand],
    pinned: Sequence[bool],
    *,
    aims: ToneAims = _PLAIN,
) -> Tone:
    """The evidence for bands that a person has nudged; nothing is fitted. Sections ``(k, 6)``."""
    problem = tone_problem(talk, quiet, sections, aims)
    fit = equalizer_fit.refit_evidence(
        problem.voice,
        problem.aim,
        problem.trust,
        bands,
        pinned,
        rate_hz=talk.rate_hz,
        highpass_sections=sections,
    )
    return _explain(fit, problem, talk.rate_hz)


def _explain(fit: EqualizerFit, problem: ToneProblem, rate_hz: float) -> Tone:
    names = region_names([heard_at_hz(band.shape, band.frequency_hz) for band in fit.bands])
    correction = equalizer_problem.eq_response_db(fit.bands, POINT_HZ, rate_hz=rate_hz)
    bands = tuple(
        NamedBand(name, band, held, *_because(band, held, fit, problem, rate_hz))
        for name, band, held in zip(names, fit.bands, fit.pinned, strict=True)
    )
    left_alone = _(
        "Left alone under {hz} and above {hz_2}: there is too little voice, and a boost would"
        " only raise the room.",
        hz=frequency(fit.low_hz),
        hz_2=frequency(fit.high_hz),
    )
    return Tone(
        bands,
        fit,
        left_alone,
        problem.name,
        problem.deviation_db,
        problem.colour,
        within_level(problem.wanted_db, fit.trust),
        within_level(correction, fit.trust),
        problem.known,
    )


def _because(
    band: EqualizerBand, held: bool, fit: EqualizerFit, problem: ToneProblem, rate_hz: float
) -> tuple[str, float]:
    """What would stay without this band, the others at work, and how sure that is."""
    own = equalizer_problem.eq_response_db([band], POINT_HZ, rate_hz=rate_hz)
    without = fit.corrected_db - own - fit.target_db
    inside = (np.abs(own) >= 0.5 * np.abs(own).max()) & (fit.trust > 0.0)
    if not inside.any():
        inside = np.abs(np.log2(POINT_HZ / band.frequency_hz)) < _INSIDE_OCTAVES
    weights = np.maximum(fit.trust[inside], 1e-3)
    mean = float(np.average(without[inside], weights=weights))
    sure = float(np.average(problem.colour.sd_db[inside], weights=weights))
    span = _(
        "{low} to {high}",
        low=frequency(float(POINT_HZ[inside][0])),
        high=frequency(float(POINT_HZ[inside][-1])),
    )
    text = (
        _(
            "From {span} there is {mean:.1f} ± {sure:.1f} dB too much without this band.",
            span=span,
            mean=abs(mean),
            sure=sure,
        )
        if mean > 0
        else _(
            "From {span} there is {mean:.1f} ± {sure:.1f} dB too little without this band.",
            span=span,
            mean=abs(mean),
            sure=sure,
        )
    )
    if not held and band.gain_db >= problem.caps.boost_db - 0.05:
        text += _(" The boost is limited to its cap.")
    elif not held and band.gain_db <= -problem.caps.cut_db + 0.05:
        text += _(" The cut is limited to its cap.")
    return (_("You set this. {text}", text=text) if held else text), sure
