"""From two takes to a full calibration: the gain to turn, and the whole chain."""

from __future__ import annotations

from dataclasses import dataclass

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.derive.chain_plan import ChainPlan, derive_chain
from obsidian_wren.core.derive.gain_plan import GainPlan, plan_gain
from obsidian_wren.core.derive.ground import ToneGround, prepare
from obsidian_wren.core.measure.decay import Ring
from obsidian_wren.core.measure.readings import QuietReading, TalkReading


@dataclass(frozen=True)
class Plan:
    """Everything that the rules answered."""

    preamp: GainPlan
    chain: ChainPlan


def plan(
    quiet: QuietReading, talk: TalkReading, quiet_samples: Samples, talk_samples: Samples, *, in_use_samples: Samples | None = None,
    in_use_rate_hz: float | None = None, floor: QuietReading | None = None, mic_response_db: Samples | None = None, ring: Ring | None = None,
) -> Plan:  # fmt: skip
    """Derive every setting from the takes, ``(n,)`` each at the rate of its reading, and their readings.

    ``floor`` is the reading of the room in use, where it was taken: it decides where enough voice stands over the room to tone it. Raises
    ValueError from the tone rule.
    """
    ground = prepare(
        talk_samples, quiet_samples, in_use_samples, rate_hz=talk.rate_hz, rest_rate_hz=quiet.rate_hz, in_use_rate_hz=in_use_rate_hz,
        talk_reading=talk, quiet_reading=quiet, tone=ToneGround(talk, floor or quiet, mic_response_db=mic_response_db), ring=ring,
    )  # fmt: skip
    return Plan(plan_gain(talk, quiet=quiet), derive_chain(ground))
