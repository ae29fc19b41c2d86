"""A feed: our end of a named input, a pipe that the sound server reads."""

from __future__ import annotations

import os
import time
from contextlib import suppress
from pathlib import Path

import numpy as np

from obsidian_wren.core.decibels import Samples

# Writes of up to so many bytes are whole or not at all (POSIX, PIPE_BUF).
_AT_ONCE = 4096
# Where nothing went in for longer, nobody listened, or the whole system stood still.
_GAP_S = 0.5


class PipeFeed:
    """Writes blocks into a pipe and never waits: what does not fit is dropped.

    A pipe that nobody reads is full, so dropping is no fault while nobody listens. ``gaps`` counts
    where it was dropped and soon went in again: somebody listens, and heard it.
    """

    def __init__(self, path: Path, *, pipe_bytes: int, held: int) -> None:
        self.path, self.gaps = path, 0
        self._lost_since_s: float | None = None
        # The lock that keeps other runs from writing into the same pipe.
        self._held: int | None = held
        # Open at both ends: the pipe is never without a reader, and opening never waits.
        self._pipe = os.open(path, os.O_RDWR | os.O_NONBLOCK | os.O_CLOEXEC)
        with suppress(OSError, AttributeError):
            import fcntl

            fcntl.fcntl(self._pipe, fcntl.F_SETPIPE_SZ, pipe_bytes)
        self._drain()

    def write(self, block: Samples) -> None:
        """The next ``(n,)`` samples, full scale 1."""
        if self._held is None:
            return
        data = block.astype(np.float32).tobytes()
        for first in range(0, len(data), _AT_ONCE):
            try:
                os.write(self._pipe, data[first : first + _AT_ONCE])
            except BlockingIOError:
                if self._lost_since_s is None:
                    self._lost_since_s = time.monotonic()
                return
            if self._lost_since_s is not None:
                self.gaps += time.monotonic() - self._lost_since_s < _GAP_S
                self._lost_since_s = None

    @property
    def is_whole(self) -> bool:
        """Whether the pipe that is written to is still the one that has its name."""
        try:
            return self._held is not None and self.path.stat().st_ino == os.fstat(self._pipe).st_ino
        except OSError:
            return False

    @property
    def unread_s(self) -> float:
        """Since when nothing that was written went in, seconds; 0 where the last of it did."""
        since_s = self._lost_since_s
        return 0.0 if since_s is None else time.monotonic() - since_s

    def close(self) -> None:
        """Leave the pipe; who listens hears silence."""
        if self._held is None:
            return
        self._drain()
        os.close(self._pipe)
        os.close(self._held)
        self._held = None

    def _drain(self) -> None:
        with suppress(BlockingIOError):
            while os.read(self._pipe, 1 << 16):
                pass
