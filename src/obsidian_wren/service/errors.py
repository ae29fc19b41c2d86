"""A refusal: something a person asked for that cannot be done, with what to do instead."""

from __future__ import annotations

from obsidian_wren.core.told import Told


class Refused(Told):
    """``code`` is stable; the message is the sentence for the person."""


def too_noisy() -> Refused:
    """What is said where a voice cannot be toned."""
    return Refused(
        "too-noisy",
        "The voice is above the noise in less than one octave, so its tone cannot be measured."
        " Go closer to the microphone or quieten the room.",
    )
