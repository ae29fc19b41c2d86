"""Single flight of a request: whoever asked before it began has its answer."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager


class Asked:
    """Who asked for the same thing, one after another: whoever asked before the last run of it
    began has its answer already."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._asked = 0
        self._seen = 0

    def ask(self) -> int:
        """Ask; gives the number of this one."""
        with self._lock:
            self._asked += 1
            return self._asked

    @contextmanager
    def answering(self) -> Iterator[None]:
        """Whoever asked before this begins is answered when it ends well."""
        with self._lock:
            asked = self._asked
        yield
        with self._lock:
            self._seen = max(self._seen, asked)

    def is_answered(self, number: int) -> bool:
        """Whether something that began after this one was asked has ended; ask it where nothing
        runs."""
        with self._lock:
            return number <= self._seen
