"""Common cases: what people set up again and again, as the listeners, sources and tracks that
each needs.

Source: practice: what people set up again and again.
"""

from __future__ import annotations

from dataclasses import dataclass

from obsidian_wren.core.mix.routes import DestinationKind, SourceKind
from obsidian_wren.core.wording import _


@dataclass(frozen=True)
class Case:
    """A case by its name: kinds of listeners and sources in use, and the tracks that the
    recorder keeps."""

    key: str
    title: str
    listeners: frozenset[DestinationKind]
    sources: frozenset[SourceKind]
    tracks: tuple[str, ...] = ()


_ALL_TRACKS = ("treated", "raw", "returns", "mix")
CASES: tuple[Case, ...] = (
    Case("call", _("A call"), frozenset({"call", "headphones"}), frozenset({"voice", "clips"})),
    Case(
        "game",
        _("A game night"),
        frozenset({"game chat", "headphones"}),
        frozenset({"voice", "computer"}),
    ),
    Case(
        "talk",
        _("Recording a talk with someone on a call"),
        frozenset({"call", "recorder", "headphones"}),
        frozenset({"voice", "clips"}),
        ("treated", "raw", "returns"),
    ),
    Case(
        "everything",
        _("Everything at once"),
        frozenset({"call", "game chat", "stream", "recorder", "headphones", "second computer"}),
        frozenset({"voice", "second", "computer", "music", "clips"}),
        _ALL_TRACKS,
    ),
)


def case(key: str) -> Case:
    """A case by its key. Raises KeyError."""
    return next(c for c in CASES if c.key == key)
