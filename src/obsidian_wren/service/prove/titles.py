"""What a series is called, and its two sounds."""

from __future__ import annotations

from dataclasses import dataclass

from obsidian_wren.core.chain.sequence import title_of
from obsidian_wren.core.wording import _, within

RAW, TREATED = "raw", "treated"
WITHOUT = "without:"
# The channels of a take of two microphones; a version, whole, and one stage of it.
BOTH = "both:"
VERSION = "version:"
STAGE_OF = "stage:"


@dataclass(frozen=True)
class PairNames:
    """The title of a pair, and what its first and second sound are called in a sentence."""

    title: str
    first: str
    second: str


def stage_of(second: str) -> str | None:
    """The stage that the second of a pair is without, None of any other pair."""
    return second.removeprefix(WITHOUT) if second.startswith(WITHOUT) else None


def raw_names() -> PairNames:
    """The treated voice against the raw one."""
    return PairNames(_("Treated against raw"), _("the treated voice"), _("the raw one"))


def without_names(stage: str) -> PairNames:
    """The voice with a stage and without it."""
    title = within(title_of(stage))
    return PairNames(
        _("With and without: {title}", title=title),
        _("the voice with the {title}", title=title),
        _("the one without"),
    )


def kept_names(second: str, names: list[str]) -> PairNames:
    """Those of a series that was kept; older ones are named by what they compared."""
    if names:
        return PairNames(*names)
    stage = stage_of(second)
    return raw_names() if stage is None else without_names(stage)


def microphone_names(first: str, second: str) -> PairNames:
    """Two microphones at once."""
    return PairNames(_("{first} against {second}", first=first, second=second), first, second)


def version_names(title: str) -> PairNames:
    """Today's calibration against an earlier version."""
    return PairNames(_("Today against {title}", title=title), _("today's calibration"), title)


def stage_names(stage: str, title: str) -> PairNames:
    """A stage as it is set today, and as a version set it."""
    name = within(title_of(stage))
    return PairNames(
        _("{title_of}: today against {title}", title_of=title_of(stage), title=title),
        _("the {name} of today", name=name),
        _("the {name} of {title}", name=name, title=title),
    )
