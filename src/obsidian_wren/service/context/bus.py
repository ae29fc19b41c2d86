"""Who is told of what happens: the event streams of open pages."""

from __future__ import annotations

import queue
import threading
from contextlib import suppress
from typing import Any

END = "end"
_MOST_WAITING = 200
# Each stream holds one of the server's threads; all pages of one browser share one stream.
_MOST_STREAMS = 12


class Bus:
    """Tells every open page what happens.

    A page that does not read loses its oldest messages, never holds up the rest.

    There are places for a dozen streams. One more takes the place of the oldest: a stream whose
    page is gone is noticed only when something is written to it, and a page that lost its place
    comes back by itself.
    """

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._listeners: list[queue.Queue[tuple[str, dict[str, Any]]]] = []

    def listen(self) -> queue.Queue[tuple[str, dict[str, Any]]]:
        """A queue that receives ``(kind, body)``; the oldest of too many is told to end."""
        listener: queue.Queue[tuple[str, dict[str, Any]]] = queue.Queue(_MOST_WAITING)
        with self._lock:
            self._listeners.append(listener)
            while len(self._listeners) > _MOST_STREAMS:
                self._put(self._listeners.pop(0), END, {})
        return listener

    def leave(self, listener: queue.Queue[tuple[str, dict[str, Any]]]) -> None:
        """Stop receiving."""
        with self._lock:
            if listener in self._listeners:
                self._listeners.remove(listener)

    def end(self) -> None:
        """Let every listener go: the program is about to end."""
        self.tell(END)

    def tell(self, kind: str, body: dict[str, Any] | None = None) -> None:
        """Send to all."""
        with self._lock:
            for listener in self._listeners:
                self._put(listener, kind, body or {})

    @property
    def places_taken(self) -> int:
        """How many streams listen."""
        with self._lock:
            return len(self._listeners)

    @staticmethod
    def _put(
        listener: queue.Queue[tuple[str, dict[str, Any]]], kind: str, body: dict[str, Any]
    ) -> None:
        while True:
            try:
                listener.put_nowait((kind, body))
                return
            except queue.Full:
                # Whoever reads may have emptied it meanwhile.
                with suppress(queue.Empty):
                    listener.get_nowait()
