"""Colour: for fun or character, so it is never derived to be on; its settings are careful
starts.

Source: practice: taste, so off.
"""

from __future__ import annotations

from obsidian_wren.core.derive.stage_plan import Answer, Pins, StagePlan
from obsidian_wren.core.derive.take_set import TakeSet

_STARTS: dict[str, tuple[float, str]] = {
    "drive_db": (6.0, "Peaks just reach the bend."),
    "harmonics": (0.0, "None until you want them; 20 % is heard as warmth."),
    "echo_ms": (120.0, "Short enough to be one sound with the word."),
    "echo": (0.0, "None until you want it."),
    "room_s": (0.4, "A small room."),
    "room": (0.0, "None until you want it."),
    "plate": (0.0, "None until you want it."),
    "ring_hz": (60.0, "A rough, machine-like voice."),
    "ring": (0.0, "None until you want it."),
}


def derive_colour(take_set: TakeSet, pins: Pins) -> StagePlan:
    """Off, with every effect at a careful start."""
    answer = Answer("colour", pins)
    for name, (value, because) in _STARTS.items():
        answer.set(name, value, because)
    return answer.plan(
        False,
        "Off until you want it: character is a matter of taste, and no measurement asks for it.",
    )
