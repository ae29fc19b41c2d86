"""The high-pass: as high as the voice allows, as steep as the rumble asks.

A corner at 0.8 of the lowest pitch costs the lowest fundamental of this voice at most 1.3 dB at
third order (Butterworth).

Source: practice: a corner at 0.8 of the lowest pitch costs its fundamental under a decibel;
Butterworth's response for how much.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.chain.filters import highpass_sections
from obsidian_wren.core.decibels import Samples, power_db
from obsidian_wren.core.derive.setting import Setting, resolve
from obsidian_wren.core.derive.stage_plan import Pins, StagePlan, StagePlanBuilder
from obsidian_wren.core.derive.take_set import TakeSet
from obsidian_wren.core.measure.readings import QuietReading, TalkReading
from obsidian_wren.core.measure.voice_spectrum import CELL_HZ
from obsidian_wren.core.wording import _

_SHARE_OF_LOWEST_PITCH = 0.8
_RANGE_HZ = (40.0, 120.0)
_PITCH_UNKNOWN_HZ = 70.0
_MUCH_RUMBLE_DB = 6.0
_LITTLE_RUMBLE_DB = -6.0
_AS_LOUD_DB = 0.5


@dataclass(frozen=True)
class HighpassRule:
    """Corner frequency and order (6 dB per octave each)."""

    frequency_hz: Setting
    order: Setting

    def sections(self, *, rate_hz: float) -> Samples:
        """The filter with the values in force, ``(k, 6)``."""
        return highpass_sections(
            self.frequency_hz.value, order=int(self.order.value), rate_hz=rate_hz
        )


def derive_highpass_stage(take_set: TakeSet, pins: Pins) -> StagePlan:
    """The rule as a stage of the chain: always on."""
    numbers = pins.numbers
    rule = derive_highpass(
        take_set.talk_reading,
        take_set.quiet_reading,
        pinned_hz=numbers.get(("highpass", "frequency_hz")),
        pinned_order=numbers.get(("highpass", "order")),
    )
    answer = StagePlanBuilder("highpass", pins)
    answer.settings.update(frequency_hz=rule.frequency_hz, order=rule.order)
    return answer.plan(True, _("Under your lowest pitch there is only rumble."))


def derive_highpass(
    talk: TalkReading,
    quiet: QuietReading,
    *,
    pinned_hz: float | None = None,
    pinned_order: float | None = None,
) -> HighpassRule:
    """High-pass from the 5th percentile of the pitch and from how far the rumble under it stands
    over the voice band."""
    pitch = talk.pitch_hz
    corner = (
        _PITCH_UNKNOWN_HZ
        if pitch is None
        else float(np.clip(_SHARE_OF_LOWEST_PITCH * pitch.p5, *_RANGE_HZ))
    )
    corner = round(corner)
    under = corner > CELL_HZ
    rumble_db = power_db(float(quiet.noise.cells[under].sum()))
    rest_db = power_db(float(quiet.noise.cells[~under].sum()))
    excess_db = rumble_db - rest_db
    order = 4 if excess_db > _MUCH_RUMBLE_DB else 3 if excess_db > _LITTLE_RUMBLE_DB else 2
    voice = (
        _("No pitch was found in this voice")
        if pitch is None
        else _("Your lowest pitch is {p5:.0f} Hz", p5=pitch.p5)
    )
    because = _(
        "{voice}; under {corner} Hz the room is {compared}.",
        voice=voice,
        corner=corner,
        compared=_compared(excess_db),
    )
    frequency = resolve(float(corner), "Hz", because, pinned_hz, digits=0)
    word = {
        2: _("a gentle slope is enough"),
        3: _("a medium slope is right"),
        4: _("a steep slope is needed"),
    }[order]
    slope = resolve(
        float(order),
        "order",
        _(
            "Under {corner} Hz the room is {compared}, so {word}.",
            corner=corner,
            compared=_compared(excess_db),
            word=word,
        ),
        pinned_order,
        digits=0,
    )
    return HighpassRule(frequency, slope)


def _compared(excess_db: float) -> str:
    if abs(excess_db) < _AS_LOUD_DB:
        return _("as strong as above")
    return (
        _("{excess_db:.0f} dB stronger than above", excess_db=abs(excess_db))
        if excess_db > 0
        else _("{excess_db:.0f} dB weaker than above", excess_db=abs(excess_db))
    )
