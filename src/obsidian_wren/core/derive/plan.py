"""From two takes to a full calibration: the rules in their order, each answer feeding the next."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.chain.equalizer import EqualizerSpec
from obsidian_wren.core.chain.filters import EqualizerBand
from obsidian_wren.core.chain.gain import GainSpec
from obsidian_wren.core.chain.highpass import HighpassSpec
from obsidian_wren.core.chain.limiter import LimiterSpec
from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive.delivery import RELEASE_S, Delivery, derive_delivery
from obsidian_wren.core.derive.gain_plan import GainPlan, plan_gain
from obsidian_wren.core.derive.highpass import HighpassRule, derive_highpass
from obsidian_wren.core.derive.tone import Tone, derive_tone
from obsidian_wren.core.measure.readings import QuietReading, TalkReading


@dataclass(frozen=True)
class Plan:
    """Everything that the rules answered."""

    preamp: GainPlan
    highpass: HighpassRule
    tone: Tone
    delivery: Delivery

    def chain(self) -> tuple[StageSpec, ...]:
        """The chain in the default order."""
        return voice_chain(self.highpass, [named.band for named in self.tone.bands], self.delivery)


def tone_chain(highpass: HighpassRule, bands: Sequence[EqualizerBand]) -> tuple[StageSpec, ...]:
    """High-pass and equalizer: the chain as far as Tone."""
    return HighpassSpec(highpass.frequency_hz.value, int(highpass.order.value)), EqualizerSpec(tuple(bands))


def voice_chain(highpass: HighpassRule, bands: Sequence[EqualizerBand], delivery: Delivery) -> tuple[StageSpec, ...]:
    """The whole chain in the default order."""
    return (
        *tone_chain(highpass, bands),
        GainSpec(delivery.gain_db.value),
        LimiterSpec(delivery.ceiling_dbtp.value, RELEASE_S),
    )


def plan(
    quiet: QuietReading, talk: TalkReading, talk_samples: Samples, *, floor: QuietReading | None = None,
    mic_response_db: np.ndarray | None = None,
) -> Plan:  # fmt: skip
    """Derive every setting from a quiet reading, a talk reading and the talk take itself.

    ``floor`` is the room in use, where it was taken: it decides what carries enough voice. Raises ValueError from the tone rule.
    """
    highpass = derive_highpass(talk, quiet)
    tone = derive_tone(talk, floor or quiet, highpass, mic_response_db=mic_response_db)
    before = tone_chain(highpass, [named.band for named in tone.bands])
    delivery = derive_delivery(talk_samples, before, rate_hz=talk.rate_hz)
    return Plan(plan_gain(talk, quiet=quiet), highpass, tone, delivery)
