"""What is said of the programs that really record: who hears a feed, who hears the raw microphone.

Source: practice: a wrong pick, a mute or a turned-down input in the sound server is what is wrong
most often, and it is seen without asking the program.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from obsidian_wren.core.mix.verdict import Verdict
from obsidian_wren.core.wording import _

_FULL_PERCENT = 99.5


@dataclass(frozen=True)
class ProgramRecording:
    """A program that records: its name, its own volume in percent and mute at the sound server."""

    program: str
    volume_percent: float
    muted: bool


def hears(source: str | None, *, raw: str | None) -> Literal["raw", "other"]:
    """What a program hears that has picked no feed; ``raw`` is the rig's microphone."""
    return "raw" if source is not None and source == raw else "other"


def audit_feed(
    recordings: Sequence[ProgramRecording], *, feed: str, trouble: str | None
) -> tuple[Verdict, ...]:
    """What is said of a feed by those who record it; ``trouble`` is why the feed is not there."""
    if trouble is not None:
        return (Verdict("no input", "fault", _("“{feed}” is not there", feed=feed), trouble),)
    if not recordings:
        return (
            Verdict(
                "nobody",
                "note",
                _("No program listens yet"),
                _("Choose “{feed}” as the microphone in your program.", feed=feed),
            ),
        )
    found = []
    for one in recordings:
        if one.muted:
            found.append(
                Verdict(
                    "muted",
                    "fault",
                    _("{program} is muted at the sound server", program=one.program),
                    _("Switch it on in the system’s volume control, under recording."),
                )
            )
        elif one.volume_percent < _FULL_PERCENT:
            found.append(
                Verdict(
                    "turned down",
                    "fault",
                    _(
                        "{program} records it at {volume_percent:.0f} %",
                        program=one.program,
                        volume_percent=one.volume_percent,
                    ),
                    _("Set it to 100 % in the system’s volume control, under recording."),
                )
            )
        else:
            found.append(Verdict("listens", "good", _("{program} listens", program=one.program)))
    return tuple(found)


def audit_output(output: str | None) -> tuple[Verdict, ...]:
    """What is said of headphones; ``output`` is where they are, None for nowhere."""
    if output is None:
        return (
            Verdict(
                "no output",
                "note",
                _("No output is chosen, so nothing is played"),
                _("Choose the output your headphones are on. Loudspeakers would howl."),
            ),
        )
    return (Verdict("plays", "good", _("Plays to {output}", output=output)),)


def left_to_move(recordings: Sequence[ProgramRecording]) -> tuple[str, ...]:
    """What a person has to do about programs that record the microphone itself."""
    return tuple(
        _("Move {name} to a feed: it records the raw microphone.", name=name)
        for name in sorted({one.program for one in recordings})
    )
