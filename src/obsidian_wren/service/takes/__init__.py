"""Takes: begun, followed, kept."""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from obsidian_wren.service.context import AppContext

if TYPE_CHECKING:
    from obsidian_wren.service.takes.running import RunningTake


_MOST_ENDED = 32


@dataclass
class TakesState:
    """The take that runs, and the ids of those that ended: pieces that come after it are dropped
    without a word."""

    running: RunningTake | None = None
    ended: deque[str] = field(default_factory=lambda: deque(maxlen=_MOST_ENDED))


def current(app: AppContext) -> TakesState:
    """The takes as they run."""
    return app.own(TakesState)


__all__ = ["current"]
