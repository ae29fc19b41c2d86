"""The equalizer as a stage of the chain: its bands from the tone rule, fitted behind the filters
that come before it.

Source: the tone rule's (see ``equalizer_fit``); practice: filters before it are part of what it
corrects.
"""

from __future__ import annotations

import numpy as np

from obsidian_wren.core.chain.filters import highpass_sections
from obsidian_wren.core.chain.highpass import HighpassSpec
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive.stage_plan import Pins, StagePlan, StagePlanBuilder
from obsidian_wren.core.derive.take_set import TakeSet, ToneTakes
from obsidian_wren.core.derive.tone import Tone, derive_tone, judge_tone
from obsidian_wren.core.derive.tone_problem import ToneAims
from obsidian_wren.core.derive.tone_target import bend_db
from obsidian_wren.core.measure.voice_spectrum import POINT_HZ
from obsidian_wren.core.wording import _, ngettext


def derive_equalizer(take_set: TakeSet, pins: Pins) -> StagePlan:
    """The rule of the equalizer. Where no octave of voice stands over the noise nothing is fitted:
    it is off, what a person holds apart, and has no evidence."""
    if pins.further:
        return _of_the_person(pins)
    tone = take_set.tone or ToneTakes(take_set.talk_reading, take_set.quiet_reading)
    taste = take_set.preferences.taste
    aims = ToneAims(
        tone.target,
        tone.mic_response_db,
        tone.placement_db,
        take_set.preferences.shape,
        bend_db(taste, POINT_HZ),
        live=take_set.ring is not None and take_set.ring.far_and_live,
        modes=() if take_set.ring is None else take_set.ring.modes,
        phone=tone.phone,
    )
    sections = _filters(take_set, tone.passage.rate_hz)
    try:
        if tone.standing is None:
            found = derive_tone(tone.passage, tone.room, sections, pinned=tone.pinned, aims=aims)
        else:
            bands, held = zip(*tone.standing, strict=True) if tone.standing else ((), ())
            found = judge_tone(
                tone.passage, tone.room, sections, list(bands), list(held), aims=aims
            )
    except ValueError:
        return _untold(tone, pins)
    return StagePlanBuilder("equalizer", pins).plan(
        bool(found.bands),
        _sentence(found, aims),
        data={"bands": tuple(named.band for named in found.bands)},
        evidence=found,
    )


def _untold(tone: ToneTakes, pins: Pins) -> StagePlan:
    standing = () if tone.standing is None else tone.standing
    bands = tone.pinned or tuple(band for band, pinned in standing if pinned)
    return StagePlanBuilder("equalizer", pins).plan(
        bool(bands),
        _(
            "Your voice is above the noise in less than one octave, so its tone cannot be"
            " measured and nothing is corrected. Go closer to the microphone or make the room"
            " quieter, then read the passage again."
        ),
        data={"bands": bands},
    )


def _sentence(found: Tone, aims: ToneAims) -> str:
    sure = float(np.average(found.colour.sd_db, weights=found.fit.trust))
    if not found.bands:
        return _(
            "Your rig adds less than the uncertainty of ±{sure:.1f} dB, so nothing is corrected.",
            sure=sure,
        )
    count = len(found.bands)
    if aims.target is not None and aims.target.kind == "same voice":
        return ngettext(
            "{count} band brings your voice to {target_name}; {residual_rms_db:.1f} dB rms of"
            " error remain.",
            "{count} bands bring your voice to {target_name}; {residual_rms_db:.1f} dB rms of"
            " error remain.",
            count,
            target_name=found.target_name,
            residual_rms_db=found.fit.residual_rms_db,
        )
    what = _("what your rig adds, with an uncertainty of ±{sure:.1f} dB", sure=sure)
    if aims.shape:
        what += _(
            ", and {shape:.0f} % of the way from your voice to {target_name}",
            shape=100.0 * aims.shape,
            target_name=found.target_name,
        )
    return ngettext(
        "{count} band corrects {what}.", "{count} bands correct {what}.", count, what=what
    )


def _of_the_person(pins: Pins) -> StagePlan:
    """A further equalizer: the tone is fitted by the first, so this one holds what a person puts
    into it."""
    bands = pins.bands.get("equalizer", ())
    because = _("You added this equalizer: its bands are yours, and nothing is fitted to them.")
    return StagePlanBuilder("equalizer", pins).plan(bool(bands), because, data={"bands": bands})


def _filters(take_set: TakeSet, rate_hz: float) -> Samples | None:
    rows = [
        highpass_sections(spec.frequency_hz, order=spec.order, rate_hz=rate_hz)
        for spec in take_set.passed
        if isinstance(spec, HighpassSpec)
    ]
    return np.concatenate(rows) if rows else None
