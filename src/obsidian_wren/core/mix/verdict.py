"""What a marker's arrival means, in a sentence, and what to change where."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from obsidian_wren.core.mix.marker import Arrival

# Talking over each other begins to hurt from about here (ITU-T G.114 recommends under 150 ms for the whole way).
LATE_MS = 150.0


@dataclass(frozen=True)
class Verdict:
    """Whether the proof holds, the sentence, and the advice where it does not."""

    good: bool
    sentence: str
    advice: str | None


def judge(arrival: Arrival, *, delay_ms: float | None, listener: str, feed_name: str) -> Verdict:
    """The verdict on what reached a listener that should get the treated voice."""
    when = "" if delay_ms is None else f", {delay_ms:.0f} ms"
    match arrival:
        case "treated" if delay_ms is not None and delay_ms > LATE_MS:
            return Verdict(
                False,
                f"Treated voice arrives late{when}",
                f"Lower the buffer in {listener}: over {LATE_MS:.0f} ms people talk over each other.",
            )
        case "treated":
            return Verdict(True, f"Treated voice arrives{when}", None)
        case "raw":
            return Verdict(False, f"Raw voice arrives{when}", f"In {listener}, pick “{feed_name}” as the microphone.")
        case "both":
            return Verdict(
                False,
                f"Raw and treated voice both arrive{when}",
                f"In {listener}, switch one of the two inputs off: together they sound hollow.",
            )
        case "neither":
            return Verdict(False, "Nothing arrives", f"In {listener}, pick “{feed_name}” as the microphone, and see that it is not muted.")
