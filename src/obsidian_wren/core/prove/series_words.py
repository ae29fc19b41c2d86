"""What a series says, in a sentence.

Source: the exact binomial distribution, as in ``series``.
"""

from __future__ import annotations

from obsidian_wren.core.prove.series import Kind, Tally
from obsidian_wren.core.wording import _, ngettext

_ONE_IN, _RARELY = 1000.0, 0.01
_NEARLY = 0.2


def verdict(tally: Tally, *, kind: Kind, first: str, second: str) -> str:
    """What a series says of two sounds by their names: preferred, heard, or not heard."""
    chance = _("Chance alone would do this {often}.", often=often(tally.p))
    if kind == "which":
        if tally.heard:
            return _("You can hear which is {first}. {chance}", first=first, chance=chance)
        return _(
            "You cannot tell {first} from {second}. {chance}",
            first=first,
            second=second,
            chance=chance,
        )
    if tally.heard:
        liked = first if tally.first > tally.rounds / 2.0 else second
        return _("You prefer {liked}. {chance}", liked=liked, chance=chance)
    if tally.p < _NEARLY:
        return _("Perhaps you hear it; a longer series would show. {chance}", chance=chance)
    return _(
        "You do not hear a difference between {first} and {second}. {chance}",
        first=first,
        second=second,
        chance=chance,
    )


def often(p: float) -> str:
    """How often chance does something: “3 times in 1,000”, “24 times in 100”. ``p`` from 0 to
    1."""
    if p < 1.0 / _ONE_IN:
        return _("less than once in 1,000")
    if p < _RARELY:
        times = round(p * _ONE_IN)
        return ngettext("once in 1,000", "{count} times in 1,000", times)
    times = round(p * 100.0)
    return ngettext("once in 100", "{count} times in 100", times)
