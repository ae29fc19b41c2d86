"""What a device sent and nobody has read yet: whole blocks, never a backlog, never a wait without
end."""

from __future__ import annotations

import threading
import time
from collections import deque
from collections.abc import Callable, Iterable
from typing import Any

import numpy as np
import numpy.typing as npt

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.wording import _
from obsidian_wren.ports.world import SourceGone

_PATIENCE_S = 3.0
# More than this waiting is a backlog: the oldest goes.
_MOST_BLOCKS = 3
# Whoever sleeps until a block should be whole wakes so much before.
_EARLY_S = 0.001


class Arrivals:
    """Pieces ``(n, channels)`` at ``rate_hz``, put by the device's thread and read by another; or
    by the reader itself, where ``fetch`` is called to wait for more, with the seconds it may take.

    ``gaps`` counts the times that sound was lost because nobody read it in time: more than three
    blocks of ``block_s`` waited, or more than ``patience_s``. ``arrived_s`` is when the last piece
    came, in seconds of the monotonic clock; ``waiting`` is how many samples nobody has read.
    """

    def __init__(
        self,
        *,
        rate_hz: int,
        channels: int,
        block_s: float,
        patience_s: float | None,
        fetch: Callable[[float], None] | None = None,
    ) -> None:
        self.rate_hz, self.channels = rate_hz, channels
        self.gaps = 0
        self.arrived_s = time.monotonic()
        self._most = round(rate_hz * (patience_s or _MOST_BLOCKS * block_s))
        self._there = threading.Condition()
        self._fetch = fetch
        self._pieces: deque[npt.NDArray[Any]] = deque()
        self.waiting = self._wanted = 0
        self._asked, self._ended = False, ""

    def put(self, pieces: Iterable[npt.NDArray[Any]], *, after_loss: bool = False) -> None:
        """What came, oldest first, some of it ``after_loss`` on its way. Never waits for the
        reader."""
        with self._there:
            for piece in pieces:
                self.arrived_s = time.monotonic()
                self._pieces.append(piece)
                self.waiting += len(piece)
            before = self.waiting
            while self.waiting > self._most + self._wanted and len(self._pieces) > 1:
                self.waiting -= len(self._pieces.popleft())
            # What came before anybody asked is not missed.
            self.gaps += self._asked and (after_loss or self.waiting < before)
            self._there.notify_all()

    def end(self, why: str) -> None:
        """Nothing more comes; the first reason stays."""
        with self._there:
            self._ended = self._ended or why
            self._there.notify_all()

    def read(self, count: int) -> Samples:
        """Just ``count`` samples, ``(count,)`` or ``(count, channels)``, once they are there.

        Raises SourceGone when it has ended, or when nothing has come for 3 s.
        """
        with self._there:
            self._asked, self._wanted = True, count
            asked_s = time.monotonic()
            while self.waiting < count and not self._ended:
                left_s = max(asked_s, self.arrived_s) + _PATIENCE_S - time.monotonic()
                if left_s <= 0.0:
                    self._ended = _("it sent nothing for 3 s")
                else:
                    lacks_s = (count - self.waiting) / self.rate_hz
                    self._wait(left_s, self.arrived_s + lacks_s - time.monotonic())
            if self.waiting < count:
                raise SourceGone(
                    _(
                        "The microphone was disconnected: {gone}. Plug it in again.",
                        gone=self._ended,
                    )
                )
            whole = np.concatenate(self._pieces)
            self._pieces.clear()
            self._pieces.append(whole[count:])
            self.waiting, self._wanted = len(whole) - count, 0
        block = whole[:count].astype(np.float64)
        return block[:, 0] if self.channels == 1 else block

    def _wait(self, most_s: float, due_s: float) -> None:
        if self._fetch is None:
            self._there.wait(most_s)
            return
        self._there.release()
        try:
            if due_s > _EARLY_S:
                # A device sends a block in many pieces; each would wake us for nothing.
                time.sleep(min(due_s - _EARLY_S, most_s))
            self._fetch(most_s)
        finally:
            self._there.acquire()
