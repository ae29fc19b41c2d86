"""What is noticed now. Kept apart from what computes, so that asking for it loads nothing."""

from __future__ import annotations

from dataclasses import dataclass

from obsidian_wren.service.context import AppContext


@dataclass(frozen=True)
class Notice:
    """What happened to the rig: the code of its cause, what it is and what to do, when it was told,
    and the fact of the rig that one press would take over, with its value."""

    code: str
    sentence: str
    action: str
    at: str
    fact: str | None = None
    value: float | None = None


@dataclass
class Noticing:
    """``why_not``: why nothing is watched, None while it is; ``talk_s``: talk that was heard since
    live; ``days``: ordinary days that it knows; ``fault``: what is wrong with the sound now."""

    why_not: str | None = None
    talk_s: float = 0.0
    days: int = 0
    notice: Notice | None = None
    fault: str | None = None
    watches: bool = False

    @property
    def sentence(self) -> str | None:
        """What there is to say, if anything."""
        return self.fault or (None if self.notice is None else self.notice.sentence)


def current(app: AppContext) -> Noticing:
    """What is noticed now."""
    return app.own(Noticing)
