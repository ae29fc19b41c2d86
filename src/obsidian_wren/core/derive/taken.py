"""What a stage of cleaning takes, and what it costs.

Kept apart from what computes it, so that showing it loads little.

Source: practice: a floor is A-weighted (IEC 61672-1), a word is missed by its beginning.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from obsidian_wren.core.derive.verdicts import Fact
from obsidian_wren.core.numerals import plain
from obsidian_wren.core.record_types import Level
from obsidian_wren.core.wording import _

CLIPPED_DB = 6.0
# What does nothing at rest is not told of there, where the room in use is known.
_TOLD_DB = 0.5
# Less than this is shown as nothing.
_UNCHANGED_DB = 0.05
# Speech at or over its active level is what is heard of a word first.
_MOST_LOSS_DB, _MOST_BEGINNING_DB = 1.0, 4.0


@dataclass(frozen=True)
class Taken:
    """The A-weighted room before and behind a stage, dBFS(A): at rest, in use where it was taken,
    and between the words of the talk where there is as much as half a second; what loud speech and
    the first 30 ms of words lose, dB; how many of how many words lose more than 6 dB of their
    beginning."""

    rest_before_dbfs_a: Level
    rest_after_dbfs_a: Level
    in_use_before_dbfs_a: float | None
    in_use_after_dbfs_a: float | None
    speech_lost_db: Level
    beginnings_lost_db: float | None
    clipped: int
    words: int
    between_before_dbfs_a: float | None = None
    between_after_dbfs_a: float | None = None


def taken_facts(taken: Taken) -> tuple[Fact, ...]:
    """What is said of it, a line each."""
    facts = []
    fall = taken.rest_before_dbfs_a - taken.rest_after_dbfs_a
    if math.isfinite(fall) and (taken.in_use_before_dbfs_a is None or fall >= _TOLD_DB):
        facts.append(
            _floor(
                _("Room at rest"),
                taken.rest_before_dbfs_a,
                taken.rest_after_dbfs_a,
                _("Your room at rest"),
            )
        )
    if taken.in_use_before_dbfs_a is not None and taken.in_use_after_dbfs_a is not None:
        facts.append(
            _floor(
                _("Room in use"),
                taken.in_use_before_dbfs_a,
                taken.in_use_after_dbfs_a,
                _("Your room in use"),
            )
        )
    if taken.between_before_dbfs_a is not None and taken.between_after_dbfs_a is not None:
        facts.append(
            _floor(
                _("Between your words"),
                taken.between_before_dbfs_a,
                taken.between_after_dbfs_a,
                _("The noise between the words of your talk"),
            )
        )
    # A sound that was silent has lost nothing.
    lost = max(taken.speech_lost_db, 0.0) if math.isfinite(taken.speech_lost_db) else 0.0
    facts.append(
        Fact(
            _("Speech lost"),
            f"{lost:.1f} dB",
            "good" if lost <= _MOST_LOSS_DB else "fault",
            _("From your loud speech, in this take."),
        )
    )
    if taken.beginnings_lost_db is not None:
        beginning = max(taken.beginnings_lost_db, 0.0)
        facts.append(
            Fact(
                _("Word beginnings"),
                f"{beginning:.1f} dB",
                "good" if beginning <= _MOST_BEGINNING_DB else "fault",
                _(
                    "Lost in their first 30 ms; {clipped} of {words} words lose more than"
                    " {clipped_db:.0f} dB there.",
                    clipped=taken.clipped,
                    words=taken.words,
                    clipped_db=CLIPPED_DB,
                ),
            )
        )
    return tuple(facts)


def _floor(name: str, before: float, after: float, what: str) -> Fact:
    return Fact(
        name,
        _("{before:.1f} dB lower", before=before - after)
        if before - after >= _UNCHANGED_DB
        else _("unchanged"),
        "none",
        _(
            "{what}, before this stage: {before} dBFS(A), after it {after}.",
            what=what,
            before=plain(before, 0),
            after=plain(after, 0),
        ),
    )
