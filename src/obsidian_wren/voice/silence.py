"""Silence at the pace of sound into feeds that nothing is written to: who listens is never kept
waiting, and what records has no hole."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Sequence

import numpy as np

from obsidian_wren.ports.system_sound import FEED_HZ, SystemFeed

_BLOCK_S = 0.01
# Nothing was written for so long: nothing is live; or what is live gives nothing, and no block is
# only late, since silence before one that still comes would be a gap and then delay.
_IDLE_S, _LATE_S = 0.04, 0.25
_LOOK_EVERY_S = 0.1
# A machine that slept does not make up for it.
_MOST_LATE_S = 0.1


class Silence:
    """Writes until it is ended. ``heard`` gives the feeds that somebody listens to, each with when
    it was written to last; ``is_live`` whether blocks are on their way to them."""

    def __init__(
        self,
        heard: Callable[[], Sequence[tuple[SystemFeed, float]]],
        is_live: Callable[[], bool],
    ) -> None:
        self._heard, self._is_live = heard, is_live
        self._ended, self._woken = threading.Event(), threading.Event()
        self._thread = threading.Thread(target=self._work, name="silence", daemon=True)
        self._thread.start()

    def end(self) -> None:
        """Write nothing more."""
        self._ended.set()
        self._woken.set()
        self._thread.join(timeout=5)

    def look(self) -> None:
        """What was live may have ended just now."""
        self._woken.set()

    def _work(self) -> None:
        silence = np.zeros(round(_BLOCK_S * FEED_HZ))
        due_s = time.monotonic()
        while not self._ended.is_set():
            self._woken.wait(max(0.0, due_s - time.monotonic()))
            self._woken.clear()
            heard = self._heard()
            now_s = time.monotonic()
            idle_s = _LATE_S if self._is_live() else _IDLE_S
            idle = [feed for feed, wrote_s in heard if now_s - wrote_s > idle_s]
            for feed in idle:
                feed.write(silence)
            if idle:
                due_s = max(due_s, now_s - _MOST_LATE_S) + _BLOCK_S
            else:
                idle_at_s = min((wrote_s + idle_s for _, wrote_s in heard), default=np.inf)
                due_s = now_s + min(max(idle_at_s - now_s, _BLOCK_S), _LOOK_EVERY_S)
