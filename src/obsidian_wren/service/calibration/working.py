"""A derivation that a person waits for: how far it is, and its end for whoever no longer wants it.

How many answers it will ask for is known from the last one.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from obsidian_wren.core.wording import _
from obsidian_wren.service.errors import Refused

# Answers that a usual calibration asks for; the last one tells better.
_USUAL = 24
# The last steps are rows and pictures.
_MOST_SHARE = 0.95

# The code of what is raised where nobody waits any more.
ENDED = "ended"

Tell = Callable[[float | None], None]


class Working:
    """What is being derived now."""

    def __init__(self) -> None:
        self._ended = threading.Event()
        self._running = 0
        self._expected = _USUAL

    def end(self) -> None:
        """Let what is being derived stand as it was; nothing where nothing is."""
        if self._running:
            self._ended.set()

    @contextmanager
    def told(self, tell: Tell) -> Iterator[Callable[[], None]]:
        """Gives what is to be called at each answer: it tells which share is done, None at the end,
        and raises Refused once it was ended."""
        done = 0

        def go_on() -> None:
            nonlocal done
            if self._ended.is_set():
                raise Refused(
                    ENDED,
                    _("The recalculation was stopped. Everything is as it was before."),
                )
            tell(min(_MOST_SHARE, done / self._expected))
            done += 1

        self._ended.clear()
        self._running += 1
        try:
            yield go_on
            self._expected = max(done, 1)
        finally:
            self._running -= 1
            tell(None)
