"""Plosives: on when the take holds any; the threshold lies over all that this voice has under
150 Hz without them.

Source: practice: plosives are peaks that the same voice has nowhere else under 150 Hz.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.chain.deplosive import low_band, low_pole
from obsidian_wren.core.decibels import Samples, amplitude_db
from obsidian_wren.core.derive.stage_plan import Pins, StagePlan, StagePlanBuilder
from obsidian_wren.core.derive.take_set import TakeSet
from obsidian_wren.core.measure.levels import frame_peaks
from obsidian_wren.core.measure.plosives import BAND_HZ, Plosive, find_plosives
from obsidian_wren.core.wording import _, ngettext

_MARGIN_DB = 2.0
_LEAST_DB, _MOST_DB = 12.0, 30.0
# A burst that has come down to the threshold is still the loudest thing there.
_UNDER_DB = 8.0


@dataclass(frozen=True)
class PlosiveEvidence:
    """The bursts found, and the level of the low band as the stage hears it, every 10 ms, dBFS."""

    found: tuple[Plosive, ...]
    levels_dbfs: Samples
    step_s: float


def derive_deplosive(take_set: TakeSet, pins: Pins) -> StagePlan:
    """The rule of the plosive stage."""
    answer = StagePlanBuilder("deplosive", pins)
    found = find_plosives(take_set.talk, rate_hz=take_set.rate_hz)
    corner = answer.set(
        "frequency_hz",
        BAND_HZ,
        _("Plosives lie under 150 Hz; words lose nothing they need there."),
    )
    levels = band_peaks_dbfs(take_set.talk, corner, take_set.rate_hz)
    bursts = np.zeros(len(levels), dtype=bool)
    for plosive in found:
        bursts[
            round(plosive.at_s * 100.0) - 2 : round((plosive.at_s + plosive.length_s) * 100.0) + 8
        ] = True
    usual = float(np.percentile(levels[~bursts], 99.5)) if (~bursts).any() else -40.0
    threshold = answer.set(
        "threshold_dbfs",
        usual + _MARGIN_DB,
        _(
            "Your voice alone hardly ever passes {usual:.0f} dBFS in this band; the threshold"
            " is {margin_db:.0f} dB higher.",
            usual=usual,
            margin_db=_MARGIN_DB,
        ),
    )
    over = [
        float(levels[round(p.at_s * 100.0) : round((p.at_s + p.length_s) * 100.0) + 1].max())
        - threshold
        for p in found
    ]
    worst = max(over, default=0.0)
    span = float(np.clip(worst + _UNDER_DB, _LEAST_DB, _MOST_DB))
    answer.set("range_db", span, _range_because(found, worst))
    longest = max((p.length_s for p in found), default=0.05)
    answer.set(
        "release_ms",
        1000.0 * longest,
        _(
            "As fast as the bursts end: the longest lasts {longest:.0f} ms.",
            longest=1000.0 * longest,
        ),
    )
    on = bool(found) and worst > 0.0
    return answer.plan(on, _because(found, take_set), evidence=PlosiveEvidence(found, levels, 0.01))


def band_peaks_dbfs(talk: Samples, corner_hz: float, rate_hz: float) -> Samples:
    """Peaks of the low band as the stage hears it, every 10 ms, dBFS ``(frames,)``."""
    low = np.empty_like(talk)
    low_band(talk, low_pole(corner_hz, rate_hz=rate_hz), np.zeros(2), low)
    return amplitude_db(frame_peaks(low, rate_hz=rate_hz, frame_s=0.01) + 1e-10)


def _because(found: tuple[Plosive, ...], take_set: TakeSet) -> str:
    seconds = len(take_set.talk) / take_set.rate_hz
    if not found:
        return _("No plosive in {seconds:.0f} s of talk: nothing to reduce.", seconds=seconds)
    at = ", ".join(f"{plosive.at_s:.1f} s" for plosive in found[:3])
    more = "" if len(found) <= 3 else _(" and more")
    return ngettext(
        "{count} plosive in {seconds:.0f} s of talk, at {at}{more}.",
        "{count} plosives in {seconds:.0f} s of talk, at {at}{more}.",
        len(found),
        seconds=seconds,
        at=at,
        more=more,
    )


def _range_because(found: tuple[Plosive, ...], worst: float) -> str:
    return (
        _(
            "The worst plosive is {worst:.0f} dB over the threshold; it goes {under_db:.0f} dB"
            " under it, where your voice is.",
            worst=worst,
            under_db=_UNDER_DB,
        )
        if found
        else _("No plosive was found; this is the smallest useful range.")
    )
