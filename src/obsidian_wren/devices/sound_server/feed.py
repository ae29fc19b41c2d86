"""A feed: our end of a named input, a pipe that the sound server reads."""

from __future__ import annotations

import array
import os
import time
from contextlib import suppress
from pathlib import Path

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.mix.channels import wide
from obsidian_wren.core.mix.splice import lengthened, shortened
from obsidian_wren.ports.system_sound import FEED_HZ

# What is there just before a block is written is looked at for so long.
_LOOK_S = 0.5
# The least that should wait then; twice of it after each time that nothing did, up to the most, and
# half of it again after a calm minute.
_LEAST_S, _MOST_S, _CALM_S = 0.004, 0.016, 60.0
# Beside a block so much more may wait.
_SPARE_S = 0.006


class Cushion:
    """Told at each block what waits, it says now and then by how much that is too little or too
    much."""

    def __init__(self, now_s: float) -> None:
        self.wanted_s = _LEAST_S
        self._since_s = self._calm_since_s = now_s
        self._low_s: float | None = None

    def look_again(self, now_s: float) -> None:
        """Nobody read: what waited until now says nothing."""
        self._since_s, self._low_s = now_s, None

    def lacks_s(self, now_s: float, waiting_s: float, block_s: float) -> float:
        """Seconds that are to come in beside the next block, or less than none where some are to
        go; 0 for most blocks. ``waiting_s`` waits before it comes."""
        self._low_s = waiting_s if self._low_s is None else min(self._low_s, waiting_s)
        if now_s - self._since_s < _LOOK_S:
            return 0.0
        low_s = self._low_s
        self.look_again(now_s)
        if low_s <= 0.0:
            self.wanted_s = min(2.0 * self.wanted_s, _MOST_S)
            self._calm_since_s = now_s
        elif now_s - self._calm_since_s > _CALM_S:
            self.wanted_s = max(self.wanted_s / 2.0, _LEAST_S)
            self._calm_since_s = now_s
        if low_s < self.wanted_s / 2.0:
            return self.wanted_s - low_s
        surplus_s = low_s - self.wanted_s - block_s - _SPARE_S
        return min(0.0, -surplus_s)


# More than ever waits in ours, of two channels and the longest block.
_PIPE_BYTES = 1 << 17
_FLOAT_BYTES = 4
# A server that is held up reads so late, and nothing is lost.
_PATIENCE_S = 0.06
# Where nothing is taken for longer, nobody listens.
_UNREAD_S = 0.25
# Where nothing went in for longer, nobody listened, or the whole system stood still.
_GAP_S = 0.5


class PipeFeed:
    """Writes blocks into a pipe and never waits: where too much is in it already, the oldest goes.
    A block is made a little shorter or longer where what waits is more or less than it should be.

    ``waits_samples`` is what the server leaves in the pipe while it reads. Beyond that there is
    room for two blocks and 60 ms. A pipe that nobody reads holds no more than that and the newest
    block, so that who begins to listen hears what is said just then; with less, the server would
    never begin to read. ``gaps`` counts where something was lost and soon was read again: somebody
    listens, and heard it. ``delay_s`` waited when it was written to last.
    """

    def __init__(
        self,
        path: Path,
        *,
        waits_samples: int,
        held: int,
        channels: int = 1,
    ) -> None:
        self.path, self.channels, self.gaps = path, channels, 0
        self._waits_s = waits_samples / FEED_HZ
        self._lost_since_s: float | None = None
        self._read_s, self._left = time.monotonic(), 0
        self.delay_s = 0.0
        # Where a server takes at once whatever there is, nothing waits here.
        self._cushion = Cushion(self._read_s) if waits_samples else None
        # The lock that keeps other runs from writing into the same pipe.
        self._held: int | None = held
        # Open at both ends: the pipe is never without a reader, and opening never waits.
        self._pipe = os.open(path, os.O_RDWR | os.O_NONBLOCK | os.O_CLOEXEC)
        with suppress(OSError, AttributeError):
            import fcntl

            fcntl.fcntl(self._pipe, fcntl.F_SETPIPE_SZ, _PIPE_BYTES)
        self._drop(_PIPE_BYTES)

    def write(self, block: Samples, *, as_it_is: bool = False) -> None:
        """The next ``(n,)`` or ``(n, channels)`` samples, full scale 1; ``as_it_is``: neither
        shorter nor longer."""
        if self._held is None:
            return
        now_s, waiting = time.monotonic(), self._waiting()
        if waiting < self._left:
            self._was_read(now_s)
        is_read = now_s - self._read_s <= _UNREAD_S
        self.delay_s = waiting / self._bytes(1.0) if is_read else 0.0
        fitted = self._fitted(block, now_s, waiting, as_it_is=as_it_is)
        data = wide(fitted, self.channels).astype(np.float32).tobytes()
        most = min(2 * len(data) + self._bytes(self._waits_s + _PATIENCE_S), _PIPE_BYTES)
        if now_s - self._read_s > _UNREAD_S:
            most = len(data) + self._bytes(self._waits_s)
        surplus = max(0, waiting + len(data) - most)
        dropped, written = self._drop(surplus), 0
        with suppress(BlockingIOError):
            written = os.write(self._pipe, data)
        if surplus or written < len(data):
            self._lost_since_s = self._lost_since_s or now_s
        # Not asked for: it may be read by now.
        self._left = waiting - dropped + written

    def _fitted(self, block: Samples, now_s: float, waiting: int, *, as_it_is: bool) -> Samples:
        """The block, a little shorter or longer now and then, so that neither more nor less waits
        than should."""
        if self._cushion is None:
            return block
        if as_it_is or now_s - self._read_s > _UNREAD_S:
            self._cushion.look_again(now_s)
            return block
        waiting_s = waiting / self._bytes(1.0)
        lacks = round(FEED_HZ * self._cushion.lacks_s(now_s, waiting_s, len(block) / FEED_HZ))
        if lacks == 0:
            return block
        return lengthened(block, lacks) if lacks > 0 else shortened(block, -lacks)

    def _was_read(self, now_s: float) -> None:
        self._read_s = now_s
        if self._lost_since_s is not None:
            self.gaps += now_s - self._lost_since_s < _GAP_S
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
        """Since when nothing was taken of what is written, seconds; 0 where some of it just was."""
        away_s = time.monotonic() - self._read_s
        return away_s if away_s > _UNREAD_S else 0.0

    @property
    def held_up(self) -> tuple[tuple[int, int], ...]:
        """Threads of the server that read it and do not come before other programs, by process and
        thread; looked for among all processes, so nobody should wait for it."""
        return _held_up(self.path.resolve())

    @property
    def lock(self) -> int:
        """The descriptor of the lock that keeps other runs away."""
        assert self._held is not None
        return self._held

    def close(self) -> None:
        """Leave the pipe; who listens hears silence."""
        if self._held is None:
            return
        self._drop(_PIPE_BYTES)
        os.close(self._pipe)
        os.close(self._held)
        self._held = None

    def _waiting(self) -> int:
        """The bytes that nobody has read."""
        import fcntl
        import termios

        found = array.array("i", [0])
        fcntl.ioctl(self._pipe, termios.FIONREAD, found)
        return found[0]

    def _drop(self, most: int) -> int:
        """Take the oldest out again, as far as it is still there; returns how many bytes."""
        dropped = 0
        with suppress(BlockingIOError):
            while dropped < most:
                dropped += len(os.read(self._pipe, most - dropped))
        return dropped

    def _bytes(self, seconds: float) -> int:
        return round(seconds * FEED_HZ) * self.channels * _FLOAT_BYTES


def _held_up(pipe: Path) -> tuple[tuple[int, int], ...]:
    """The threads of the server at a pipe that read without real-time rights, though its others may
    have them: PulseAudio asks for none for these (``module-pipe-source.c``)."""
    found: list[tuple[int, int]] = []
    for process in Path("/proc").glob("[0-9]*"):
        with suppress(OSError):
            if _name_of(process) != "pulseaudio" or not _has_open(process, pipe):
                continue
            found += [
                (int(process.name), int(thread.name))
                for thread in process.glob("task/*")
                if _name_of(thread) == "pipe-source"
                and os.sched_getscheduler(int(thread.name)) == os.SCHED_OTHER
            ]
    return tuple(found)


def _name_of(process: Path) -> str:
    return (process / "comm").read_text().strip()


def _has_open(process: Path, path: Path) -> bool:
    return any(each.readlink() == path for each in process.glob("fd/*"))
