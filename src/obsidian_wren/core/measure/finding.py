"""What is said of a take: a finding.

Source: practice: what stands on a take is worth as much as the take.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from obsidian_wren.core.measure.faults import Note

# Notes of a sound that are findings of the take as well.
_NOTED = ("channel_chosen", "channel_dead", "channel_bleed")


@dataclass(frozen=True)
class Finding:
    """Something about a take: a stable code, what was found, what to do, and whether what stands
    on the take would be wrong."""

    code: str
    sentence: str
    action: str
    stops: bool = False


def noted(notes: Iterable[Note]) -> tuple[Finding, ...]:
    """The findings among the notes of a sound: what to do is their last sentence."""
    found = []
    for note in notes:
        if note.code in _NOTED:
            sentence, _, action = note.sentence.rstrip(".").rpartition(". ")
            found.append(
                Finding(note.code, f"{sentence}." if sentence else note.sentence, f"{action}.")
            )
    return tuple(found)
