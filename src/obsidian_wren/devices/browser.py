"""The browser's microphone as a live source: the page pushes pieces, the run reads blocks."""

from __future__ import annotations

import queue

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.wording import _
from obsidian_wren.ports.world import SourceGone

_PATIENCE_S = 3.0
_MOST_WAITING = 200


class BrowserStream:
    """``push`` from the page's requests, ``read`` from the run.

    Reading waits; a page that stays silent ends it.
    """

    def __init__(self, rate_hz: int) -> None:
        self.rate_hz = rate_hz
        self._pieces: queue.Queue[Samples] = queue.Queue(_MOST_WAITING)
        self._held = np.zeros(0)
        self._closed = False

    def push(self, samples: Samples) -> None:
        """The next ``(n,)`` samples.

        A run that fell far behind loses the oldest, so that it never lags for good.
        """
        if self._pieces.full():
            self._pieces.get_nowait()
        self._pieces.put_nowait(samples)

    def read(self, count: int) -> Samples:
        """Just ``count`` samples, once they are there.

        Raises SourceGone when the page stopped sending.
        """
        while len(self._held) < count and not self._closed:
            try:
                self._held = np.concatenate([self._held, self._pieces.get(timeout=_PATIENCE_S)])
            except queue.Empty:
                raise SourceGone(
                    _(
                        "The microphone sent nothing for 3 s, so the run stopped: it was"
                        " unplugged, or its page was closed. Plug it in, then start live again."
                    )
                ) from None
        block, self._held = self._held[:count], self._held[count:]
        return block

    def close(self) -> None:
        """Stop waiting."""
        self._closed = True
