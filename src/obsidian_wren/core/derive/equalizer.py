"""The equalizer as a stage of the chain: its bands from the tone rule, fitted behind the filters that come before it."""

from __future__ import annotations

import numpy as np

from obsidian_wren.core.chain.filters import highpass_sections
from obsidian_wren.core.chain.highpass import HighpassSpec
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive.ground import Ground, ToneGround
from obsidian_wren.core.derive.stage_plan import Answer, Pins, StagePlan
from obsidian_wren.core.derive.tone import derive_tone, judge_tone
from obsidian_wren.core.derive.tone_target import by_pitch


def derive_equalizer(ground: Ground, pins: Pins) -> StagePlan:
    """The rule of the equalizer. Raises ValueError where no octave of voice stands over the noise."""
    tone = ground.tone or ToneGround(ground.talk_reading, ground.quiet_reading)
    target = (tone.target or by_pitch(tone.passage.pitch_hz)).bent(ground.wishes.taste)
    sections = _filters(ground, tone.passage.rate_hz)
    if tone.standing is None:
        found = derive_tone(tone.passage, tone.room, sections, pinned=tone.pinned, target=target, mic_response_db=tone.mic_response_db)
    else:
        bands, held = [band for band, _ in tone.standing], [pinned for _, pinned in tone.standing]
        found = judge_tone(tone.passage, tone.room, sections, bands, held, target=target, mic_response_db=tone.mic_response_db)
    left = found.fit.left_over_rms_db
    because = f"{len(found.bands)} bands bring your voice to {found.target_name}; {left:.1f} dB rms are left over."
    return Answer("equalizer", pins).plan(True, because, matter={"bands": tuple(named.band for named in found.bands)}, evidence=found)


def _filters(ground: Ground, rate_hz: float) -> Samples | None:
    rows = [
        highpass_sections(spec.frequency_hz, order=spec.order, rate_hz=rate_hz) for spec in ground.passed if isinstance(spec, HighpassSpec)
    ]
    return np.concatenate(rows) if rows else None
