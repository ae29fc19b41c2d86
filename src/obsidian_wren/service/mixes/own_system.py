"""The listeners of this computer's own system: inputs that any program can pick, headphones that
are played to, and returns."""

from __future__ import annotations

import threading
from dataclasses import dataclass, field

from obsidian_wren.service.context import AppContext
from obsidian_wren.voice import records


@dataclass
class FeedsState:
    """The keys of the listeners whose inputs are there; what the server said where one could not be
    made; where the headphones are, and what is heard as the return from whom; and what is heard as
    the computer's sound."""

    held: tuple[str, ...] = ()
    troubles: dict[str, str] = field(default_factory=dict)
    outputs: dict[str, str | None] = field(default_factory=dict)
    returns: dict[str, str | None] = field(default_factory=dict)
    computer: str | None = None
    # One after another follows them; the voice, which may only begin just now, is asked meanwhile.
    following: threading.RLock = field(default_factory=threading.RLock)


def current(app: AppContext) -> FeedsState:
    """The feeds as they stand."""
    return app.own(FeedsState)


def ends(app: AppContext) -> records.Ends:
    """Where the system's other ends are, as the voice is told."""
    found = current(app)
    return records.Ends(dict(found.outputs), dict(found.returns), found.computer)
