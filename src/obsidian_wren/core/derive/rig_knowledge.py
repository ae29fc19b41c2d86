"""What is known of a rig's colour, and from where: the lines beside the picture of Tone.

Source: the posterior's standard deviation (see ``rig_colour``), which does not depend on what the
data say, so that it also tells what would be gained by knowing more.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive.rig_colour import PhoneTake, RigPrior, rig_colour
from obsidian_wren.core.measure.voice_spectrum import POINT_HZ
from obsidian_wren.core.wording import _

_PROXIMITY_AT_HZ = 100.0
_SMALL_DB = 0.2
# A second passage of the same length halves the variance of the estimate.
_TWICE = 2.0


@dataclass(frozen=True)
class Known:
    """One thing that tells of the rig: its name, whether it was given, how far the colour is
    known with it, dB (None where it moves the estimate only), and a sentence."""

    name: str
    given: bool
    uncertainty_db: float | None
    sentence: str


@dataclass(frozen=True)
class Evidence:
    """What the posterior stands on: the standard error of the voice's levels in dB and how far each
    point counts, ``(points,)``; the prior; what the placement adds, dB ``(points,)``."""

    error_db: Samples
    trust: Samples
    prior: RigPrior
    placement_db: Samples | None
    duration_s: float
    reference_db: float | None
    spread: float = 1.0
    phone: PhoneTake | None = None


def what_is_known(evidence: Evidence) -> tuple[Known, ...]:
    """The lines, what was given first."""
    alone = replace(evidence, phone=None)
    voice = _uncertainty(alone, filed=False)
    longer = _uncertainty(replace(alone, error_db=evidence.error_db / np.sqrt(_TWICE)), filed=False)
    more = (
        _(" As much talk again would bring it to ±{longer:.1f} dB.", longer=longer)
        if voice - longer >= _SMALL_DB
        else ""
    )
    lines = [
        Known(
            _("Your voice, {duration_s:.0f} s", duration_s=evidence.duration_s),
            True,
            voice,
            _(
                "Your voice differs from the average too, and one take cannot separate the two:"
                " what may be yours is left alone.{more}",
                more=more,
            ),
        )
    ]
    if evidence.placement_db is not None:
        boost = float(np.interp(_PROXIMITY_AT_HZ, POINT_HZ, evidence.placement_db))
        lines.append(
            Known(
                _("Placement"),
                True,
                None,
                _(
                    "The proximity effect adds {boost:+.1f} dB at {proximity_at_hz:.0f} Hz at"
                    " this distance, by the spherical wave.",
                    boost=boost,
                    proximity_at_hz=_PROXIMITY_AT_HZ,
                ),
            )
        )
    filed = _uncertainty(alone, filed=True)
    given = bool(evidence.prior.filed.any())
    lines.append(
        Known(
            _("Microphone file"),
            given,
            filed,
            _("It shows what the microphone adds; your voice only shows the rest.")
            if given
            else _("With the response file of your microphone, ±{filed:.1f} dB.", filed=filed),
        )
    )
    modes = evidence.prior.modes
    where = ", ".join(f"{mode.frequency_hz:.0f}" for mode in modes)
    lines.append(
        Known(
            _("Room resonances"),
            bool(modes),
            None,
            _(
                "The room's decay shows them at {where} Hz; only there are narrow cuts allowed.",
                where=where,
            )
            if modes
            else _("None are known, so no band is narrow; a clap at your place would show them."),
        )
    )
    lines.append(
        Known(
            _("Reference take"),
            evidence.reference_db is not None,
            evidence.reference_db,
            _("The same voice through a microphone you trust shows everything that the rig adds.")
            if evidence.reference_db is not None
            else _(
                "The same voice through a microphone you trust would show everything that the"
                " rig adds."
            ),
        )
    )
    with_phone = evidence.phone
    if with_phone is None:
        # As a phone beside the microphone would hear this voice.
        with_phone = PhoneTake(np.zeros(len(POINT_HZ)), evidence.error_db, evidence.trust)
    phone_db = _uncertainty(replace(evidence, phone=with_phone), filed=given)
    lines.append(
        Known(
            _("Phone beside it"),
            evidence.phone is not None,
            phone_db,
            _(
                "A phone heard the same voice. It is no measuring microphone, and its own spread is"
                " counted."
            )
            if evidence.phone is not None
            else _(
                "With a phone that records the same passage beside the microphone, ±{phone:.1f}"
                " dB.",
                phone=phone_db,
            ),
        )
    )
    return tuple(lines)


def _uncertainty(evidence: Evidence, *, filed: bool) -> float:
    points = evidence.prior.filed if evidence.prior.filed.any() else np.ones(len(POINT_HZ), bool)
    known = points if filed else np.zeros(len(POINT_HZ), bool)
    prior = RigPrior(evidence.prior.mean_db, known, evidence.prior.modes)
    found = rig_colour(
        np.zeros(len(POINT_HZ)),
        evidence.error_db,
        evidence.trust,
        prior,
        spread=evidence.spread,
        phone=evidence.phone,
    )
    return float(np.average(found.sd_db, weights=evidence.trust))
