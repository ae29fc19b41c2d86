"""The de-esser: sibilants are brought to the loudness of the speech beside them, never under it,
and never so far that they lisp.

Source: practice: a sibilant should be as loud as the vowel beside it (K-weighted, ITU-R BS.1770-4).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.chain.deesser import band_section
from obsidian_wren.core.chain.filters import run_sections
from obsidian_wren.core.decibels import Samples, amplitude_db
from obsidian_wren.core.derive.stage_plan import Pins, StagePlan, StagePlanBuilder
from obsidian_wren.core.derive.take_set import TakeSet
from obsidian_wren.core.measure.levels import frame_peaks
from obsidian_wren.core.measure.sibilants import Sibilant, find_sibilants
from obsidian_wren.core.numerals import frequency
from obsidian_wren.core.record_types import Levels
from obsidian_wren.core.wording import _

# More would lisp: an "s" then sinks into its vowels.
LISP_GUARD_DB = 8.0
_RATIO = 4.0
_WORTH_DB = 1.0
_USUAL_HZ = 6500.0
_LEAST_HELD_DB = 0.5


@dataclass(frozen=True)
class SibilanceEvidence:
    """Every sibilant found, and the level of the band as the stage hears it, every 10 ms, dBFS."""

    found: tuple[Sibilant, ...]
    levels_dbfs: Levels
    step_s: float


def derive_deesser(take_set: TakeSet, pins: Pins) -> StagePlan:
    """The rule of the de-esser, from the sibilants of the voice as it is toned."""
    answer = StagePlanBuilder("deesser", pins)
    found = find_sibilants(take_set.talk, rate_hz=take_set.rate_hz)
    usual = float(np.median([s.frequency_hz for s in found])) if found else _USUAL_HZ
    centre = answer.set(
        "frequency_hz",
        round(usual / 100.0) * 100.0,
        (
            _("Your sibilants are strongest at {hz}.", hz=frequency(usual))
            if found
            else _("No sibilant was found, so this is the usual frequency.")
        ),
    )
    q = answer.set("q", _width(found), _("As wide as your sibilants spread."))
    levels = _band_peaks_dbfs(take_set.talk, centre, q, take_set.rate_hz)
    over = np.array([s.over_neighbours_db for s in found])
    own = np.array([_level_at(levels, s) for s in found])
    harsh = over > 0.0
    # Each harsh sibilant says at which level of the band it would be as loud as its neighbours.
    wanted = own[harsh] - over[harsh] if harsh.any() else own
    threshold = float(np.median(wanted)) if len(wanted) else -30.0
    because = _(
        "At this level your sibilants are as loud in this band as the words around them"
        " ({found} measured).",
        found=len(found),
    )
    answer.set(
        "threshold_dbfs",
        threshold,
        (
            because
            if harsh.any()
            else _(
                "None of your sibilants is louder than its neighbours; this is their median level."
            )
        ),
    )
    worst = float(np.percentile(over, 95)) if len(over) else 0.0
    held = float(np.clip(worst, 0.0, LISP_GUARD_DB))
    text = _(
        "The loudest is {worst:.1f} dB over its neighbours; the de-esser never takes more.",
        worst=worst,
    )
    if worst > LISP_GUARD_DB:
        text = _(
            "The loudest is {worst:.1f} dB over its neighbours, but more than"
            " {lisp_guard_db:.0f} dB would sound like a lisp.",
            worst=worst,
            lisp_guard_db=LISP_GUARD_DB,
        )
    answer.set(
        "range_db",
        held if held >= _LEAST_HELD_DB else 3.0,
        text if worst > 0.0 else _("The least that can be heard, if you switch it on."),
    )
    answer.set("ratio", _RATIO, _("Takes three quarters of the excess; an s stays an s."))
    on = worst >= _WORTH_DB
    share = int(np.count_nonzero(harsh))
    text = _(
        "{share} of {found} sibilants are louder than the words around them, the worst by"
        " {worst:.1f} dB.",
        share=share,
        found=len(found),
        worst=worst,
    )
    if not found:
        text = _("No sibilant was found in the take.")
    elif not on:
        text = _(
            "Your {found} sibilants are no louder than the words around them: nothing to reduce.",
            found=len(found),
        )
    return answer.plan(on, text, evidence=SibilanceEvidence(found, levels, 0.01))


def _width(found: tuple[Sibilant, ...]) -> float:
    """A Q that spans the middle four fifths of the sibilants' frequencies."""
    if len(found) < 4:
        return 1.0
    low, high = np.percentile([s.frequency_hz for s in found], [10, 90])
    return float(np.clip(np.sqrt(low * high) / max(high - low, 1.0), 0.6, 2.0))


def _band_peaks_dbfs(talk: Samples, centre_hz: float, q: float, rate_hz: float) -> Samples:
    band = np.empty_like(talk)
    run_sections(band_section(centre_hz, q, rate_hz=rate_hz), np.zeros((1, 2)), talk, band)
    return amplitude_db(frame_peaks(band, rate_hz=rate_hz, frame_s=0.01) + 1e-10)


def _level_at(levels: Samples, sibilant: Sibilant) -> float:
    first = round(sibilant.at_s * 100.0)
    inside = levels[first : max(first + 1, round((sibilant.at_s + sibilant.length_s) * 100.0))]
    return float(inside.max()) if len(inside) else -100.0
