"""What is said of a sound file beside its readings."""

from __future__ import annotations

from collections.abc import Sequence

from obsidian_wren.core.measure.faults import Note
from obsidian_wren.core.wording import _
from obsidian_wren.formats.read_sound import ReadSound


def sentences_of(sound: ReadSound, notes: Sequence[Note]) -> list[str]:
    """A sentence for each note, and one where the file holds more than is of use."""
    found = [note.sentence for note in notes]
    if sound.left_out_s >= 1.0:
        found.append(
            _(
                "Only the first {samples:.1f} min are used; the {left_out_s:.1f} min after them"
                " would add nothing.",
                samples=len(sound.samples) / sound.rate_hz / 60.0,
                left_out_s=sound.left_out_s / 60.0,
            )
        )
    return found
