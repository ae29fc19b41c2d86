"""What brings a mix to its loudness: the same trim and ducking that a person would turn to.

Source: ITU-R BS.1770-4 for loudness; fixed-point steps by what is missing.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from obsidian_wren.core.mix.kinds import VOICE_OVER_LU, MixPins
from obsidian_wren.core.mix.measured import Measured
from obsidian_wren.core.mix.plan import derive_mix
from obsidian_wren.core.mix.prediction import Outcome, Prediction
from obsidian_wren.core.mix.routes import Destination, Routing


@dataclass(frozen=True)
class MixLanding:
    """What brings a mix to its aims: dB on the whole, further dB of ducking, and what comes out
    then."""

    trim_db: float
    deeper_db: float
    outcome: Outcome


def land(
    listener: Destination,
    routing: Routing,
    measured: Mapping[str, Measured],
    prediction: Prediction,
    pins: MixPins | None = None,
) -> MixLanding:
    """Bring a mix to its loudness on the material.

    What drops under the voice drops further where all of it together would come too near.
    """
    deeper = 0.0
    plan = derive_mix(listener, routing, measured, pins)
    over = prediction.voice_over(plan)
    if over is not None and over < VOICE_OVER_LU:
        deeper = VOICE_OVER_LU - over
        plan = derive_mix(listener, routing, measured, pins, deeper_db=deeper)
    trim, outcome = prediction.landed(plan)
    return MixLanding(trim, deeper, outcome)
