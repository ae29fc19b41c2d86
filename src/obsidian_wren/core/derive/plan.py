"""From two takes to a full calibration: the gain to turn, and the whole chain.

Source: the rules that it asks name their own; practice for their sequence.
"""

from __future__ import annotations

from dataclasses import dataclass

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive.aims import Preferences
from obsidian_wren.core.derive.chain_plan import ChainPlan, derive_chain
from obsidian_wren.core.derive.gain_plan import GainPlan, plan_gain
from obsidian_wren.core.derive.take_set import ToneTakes, prepare
from obsidian_wren.core.derive.tone_target import same_voice
from obsidian_wren.core.measure.decay import Reverb
from obsidian_wren.core.measure.readings import QuietReading, TalkReading


@dataclass(frozen=True)
class Plan:
    """Everything that the rules answered."""

    preamp: GainPlan
    chain: ChainPlan


def plan(
    quiet: QuietReading,
    talk: TalkReading,
    quiet_samples: Samples,
    talk_samples: Samples,
    *,
    in_use_samples: Samples | None = None,
    in_use_rate_hz: float | None = None,
    floor: QuietReading | None = None,
    mic_response_db: Samples | None = None,
    reference: TalkReading | None = None,
    phone: TalkReading | None = None,
    shape: float = 0.0,
    ring: Reverb | None = None,
) -> Plan:
    """Derive every setting from the takes, ``(n,)`` each at the rate of its reading, and their
    readings.

    ``floor`` is the reading of the room in use, where it was taken: it decides where enough voice
    stands over the room to tone it. ``reference`` is the same voice through a microphone that is
    trusted, ``phone`` as a phone beside the microphone heard it; ``shape`` is how far the voice
    itself is brought to average speech, 0 to 1. Raises ValueError from the tone rule.
    """
    take_set = prepare(
        talk_samples,
        quiet_samples,
        in_use_samples,
        rate_hz=talk.rate_hz,
        rest_rate_hz=quiet.rate_hz,
        in_use_rate_hz=in_use_rate_hz,
        talk_reading=talk,
        quiet_reading=quiet,
        preferences=Preferences(shape=shape),
        tone=ToneTakes(
            talk,
            floor or quiet,
            target=None if reference is None else same_voice(reference.voice, corridor_db=0.3),
            mic_response_db=mic_response_db,
            phone=phone,
        ),
        ring=ring,
    )
    return Plan(plan_gain(talk, quiet=quiet), derive_chain(take_set))
