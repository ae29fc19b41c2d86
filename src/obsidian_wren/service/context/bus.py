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
# What is told many times a second.
MEASURED = ("frame", "live")
_News = tuple[str, dict[str, Any]]


class Bus:
    """Tells every open page what happens.

    A page that does not read loses its oldest messages, never holds up the rest.

    There are places for a dozen streams. One more takes the place of the oldest: a stream whose
    page is gone is noticed only when something is written to it, and a page that lost its place
    comes back by itself.
    """

    def __init__(self) -> None:
        self._lock = threading.Lock()
        # Each with whether it is told what is measured.
        self._listeners: dict[queue.Queue[_News], bool] = {}

    def listen(self, *, measured: bool = True) -> queue.Queue[_News]:
        """A queue that receives ``(kind, body)``, with what is :data:`MEASURED` or without; the
        oldest of too many is told to end."""
        listener: queue.Queue[_News] = queue.Queue(_MOST_WAITING)
        with self._lock:
            self._listeners[listener] = measured
            while len(self._listeners) > _MOST_STREAMS:
                oldest = next(iter(self._listeners))
                del self._listeners[oldest]
                self._put(oldest, END, {})
        return listener

    def leave(self, listener: queue.Queue[_News]) -> None:
        """Stop receiving."""
        with self._lock:
            self._listeners.pop(listener, None)

    def end(self) -> None:
        """Let every listener go: the program is about to end."""
        self.tell(END)

    def tell(self, kind: str, body: dict[str, Any] | None = None) -> None:
        """Send to all."""
        with self._lock:
            for listener, measured in self._listeners.items():
                if measured or kind not in MEASURED:
                    self._put(listener, kind, body or {})

    @property
    def places_taken(self) -> int:
        """How many streams listen."""
        with self._lock:
            return len(self._listeners)

    @property
    def watched(self) -> bool:
        """Whether anybody is told what is measured."""
        with self._lock:
            return any(self._listeners.values())

    @staticmethod
    def _put(listener: queue.Queue[_News], kind: str, body: dict[str, Any]) -> None:
        while True:
            try:
                listener.put_nowait((kind, body))
                return
            except queue.Full:
                # Whoever reads may have emptied it meanwhile.
                with suppress(queue.Empty):
                    listener.get_nowait()
