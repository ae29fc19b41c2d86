"""What each kind of listener gets by rule: which sources, how far under the voice, how loud the
whole, and why.

Source: AES TD1008 and EBU R 128 for loudness; practice for which sources.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import lru_cache

from obsidian_wren.core.mix.routes import (
    Destination,
    DestinationKind,
    RouteRefused,
    Routing,
    Send,
    Source,
    SourceKind,
    admit,
)
from obsidian_wren.core.wording import _


@dataclass(frozen=True)
class SourceShare:
    """A kind of source in a mix:

    LU under the voice when nobody speaks, and LU that the voice stands over it when somebody does.
    """

    under_lu: float
    kept_under_lu: float | None = None


@dataclass(frozen=True)
class KindRule:
    """The rule of a kind of listener.

    Loudness in LUFS as the listener's meter shows it, ceiling in dBTP.
    """

    aim_lufs: float
    ceiling_dbtp: float
    channels: int
    shares: Mapping[SourceKind, SourceShare]
    kept_out: Mapping[SourceKind, str] = field(default_factory=dict)
    because: str = ""


# Music and computer sound lie this far under a voice that speaks: the voice is understood without
# strain over a bed some 15 LU lower (EBU Tech 3343 on speech over background gives 7 to 15 LU and
# more for hard-of-hearing listeners).
KEPT_UNDER_LU = 15.0
# The voice stays this far over everything that drops under it, taken together; EBU Tech 3343 names
# 7 LU as the least for speech.
VOICE_OVER_LU = 12.0
# Whoever talks is as loud as the other one.
_VOICE = SourceShare(0.0)
_BED = SourceShare(9.0, KEPT_UNDER_LU)
_CLIPS = SourceShare(8.0, 12.0)
# An instrument beside a voice that talks: near it, and under it while it talks.
_SECOND = SourceShare(4.0, 10.0)
_NOT_ASKED = _("they did not ask for it, and it makes you harder to understand")

RULES: Mapping[DestinationKind, KindRule] = {
    "call": KindRule(
        -18.0,
        -3.0,
        1,
        {"voice": _VOICE, "person": _VOICE, "second": _SECOND, "clips": _CLIPS},
        {
            "music": _NOT_ASKED,
            "computer": _("it may contain the call itself"),
            "return": _("nobody should hear themselves or another call"),
        },
        _(
            "Calls are mono and set speech to their own level; −18 LUFS leaves them room either"
            " way."
        ),
    ),
    "game chat": KindRule(
        -18.0,
        -3.0,
        1,
        {"voice": _VOICE},
        {
            "person": _("a game chat is for one voice"),
            "second": _("a game chat is for one voice"),
            "clips": _("a game chat opens on any sound"),
            "music": _("a game chat opens on any sound"),
            "computer": _("it contains the game and its voices"),
            "return": _("nobody should hear themselves or another call"),
        },
        _("Voice only: a narrow path with a threshold that anything else would open."),
    ),
    "stream": KindRule(
        -16.0,
        -1.0,
        2,
        {
            "voice": _VOICE,
            "person": _VOICE,
            "second": _SECOND,
            "return": SourceShare(1.0),
            "clips": _CLIPS,
            "computer": _BED,
            "music": _BED,
        },
        {},
        _("Streams are heard beside others at −16 LUFS, with peaks under −1 dBTP (AES TD1008)."),
    ),
    "recorder": KindRule(
        -18.0,
        -3.0,
        2,
        {
            "voice": _VOICE,
            "person": _VOICE,
            "second": _SECOND,
            "return": SourceShare(1.0),
            "clips": _CLIPS,
            "music": _BED,
        },
        {"computer": _("it plays sources that have tracks of their own")},
        _("A mix to work on keeps headroom; each source has a track of its own too."),
    ),
    "headphones": KindRule(
        -23.0,
        -6.0,
        2,
        {
            "second": SourceShare(2.0),
            "return": SourceShare(0.0),
            "clips": SourceShare(8.0),
            "computer": SourceShare(6.0),
            "music": SourceShare(8.0),
        },
        {
            "voice": _(
                "your own voice would come late; use direct monitoring or Hear live for that"
            ),
            "person": _("who sits beside you is heard without it, and would come late"),
        },
        _("For hours at the ear: −23 LUFS, and no peak over −6 dBTP."),
    ),
    "second computer": KindRule(
        -18.0,
        -3.0,
        2,
        {"voice": _VOICE, "person": _VOICE, "second": _SECOND, "clips": _CLIPS},
        {
            "music": _NOT_ASKED,
            "computer": _NOT_ASKED,
            "return": _("it may contain what the second computer plays"),
        },
        _("It passes on what it gets, so it gets what a call gets, in stereo."),
    ),
}


@dataclass(frozen=True)
class MixPins:
    """What a person holds of one listener's mix; None and missing keys are derived."""

    aim_lufs: float | None = None
    ceiling_dbtp: float | None = None
    channels: int | None = None
    under_lu: Mapping[str, float] = field(default_factory=dict)
    duck_db: Mapping[str, float] = field(default_factory=dict)


def usual_sends(sources: Sequence[Source], destinations: Sequence[Destination]) -> Routing:
    """Every listener gets what its kind gets by rule, as far as no loop or double comes of it."""
    return _usual_sends(tuple(sources), tuple(destinations))


@lru_cache(maxsize=64)
def _usual_sends(sources: tuple[Source, ...], destinations: tuple[Destination, ...]) -> Routing:
    routing = Routing({s.key: s for s in sources}, {d.key: d for d in destinations})
    for listener in destinations:
        for source in sources:
            if source.kind in RULES[listener.kind].shares and source.of != listener.key:
                try:
                    routing = admit(routing, Send(source.key, listener.key))
                except RouteRefused:
                    continue
    return routing
