"""A refusal: something a person asked for that cannot be done, with what to do instead."""

from __future__ import annotations

from obsidian_wren.core.told import Told
from obsidian_wren.core.wording import _


class Refused(Told):
    """``code`` is stable; the message is the sentence for the person."""


def drowned() -> Refused:
    """What is said where the room is as loud as the voice."""
    return Refused(
        "too-noisy",
        _(
            "Your room is as loud as your voice at the microphone, so neither can be measured."
            " Go closer to the microphone or make the room quieter, then record again."
        ),
    )
