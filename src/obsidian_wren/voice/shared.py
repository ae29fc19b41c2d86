"""Sound that one process writes and others read: the last seconds of some tracks, in memory that
both have.

The writer never waits for a reader, and nobody who reads can change anything. A file without a name
(Linux) is reached through the writer's own descriptors and is gone with it; elsewhere it is a file
in a folder of its owner's alone.
"""

from __future__ import annotations

import mmap
import os
import struct
import tempfile
import threading
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from typing import Protocol

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.mix.channels import wide
from obsidian_wren.voice import records

_FLOAT_BYTES = 4
# The samples that were ever written, at the beginning; the sound on a page of its own.
_HEAD = struct.Struct("<q")
_HEAD_BYTES = mmap.PAGESIZE
# Who records may be held up by a disk for so long.
_KEPT_S = 30.0


class SharedTracks:
    """The writer's end: ``frames`` of ``tracks`` side by side, as 32-bit floats."""

    def __init__(self, tracks: int, frames: int, folder: Path) -> None:
        self.tracks, self.frames = tracks, frames
        size = _HEAD_BYTES + tracks * frames * _FLOAT_BYTES
        self._left: Path | None = None
        if hasattr(os, "memfd_create"):
            self._file = os.memfd_create("tracks", os.MFD_CLOEXEC)
            self.place = f"/proc/{os.getpid()}/fd/{self._file}"
        else:
            self._file, self.place = tempfile.mkstemp(dir=folder, prefix="tracks-")
            self._left = Path(self.place)
        os.truncate(self._file, size)
        self._memory = mmap.mmap(self._file, size)
        self._ring = np.frombuffer(self._memory, dtype=np.float32, offset=_HEAD_BYTES).reshape(
            frames, tracks
        )
        self._position = 0

    def push(self, blocks: Samples) -> None:
        """The next ``(n, tracks)`` samples. Never waits."""
        at = (self._position + np.arange(len(blocks))) % self.frames
        self._ring[at] = blocks
        self._position += len(blocks)
        # Whoever reads it sees whole blocks: it is written behind them, at once.
        _HEAD.pack_into(self._memory, 0, self._position)

    def close(self) -> None:
        """Nobody reads it any more."""
        del self._ring
        self._memory.close()
        os.close(self._file)
        if self._left is not None:
            self._left.unlink(missing_ok=True)


class TracksReader:
    """The reader's end, from a position on. Raises OSError where the writer is gone."""

    def __init__(self, place: str, tracks: int, frames: int) -> None:
        self._frames = frames
        file = os.open(place, os.O_RDONLY | os.O_CLOEXEC)
        try:
            self._memory = mmap.mmap(file, 0, access=mmap.ACCESS_READ)
        finally:
            os.close(file)
        self._ring = np.frombuffer(self._memory, dtype=np.float32, offset=_HEAD_BYTES).reshape(
            frames, tracks
        )
        self.at = self.position
        # How often the writer went round before something was read.
        self.lost = 0

    @property
    def position(self) -> int:
        """How many samples were written by now."""
        return int(_HEAD.unpack_from(self._memory, 0)[0])

    def read(self, most: int) -> Samples:
        """The next ``(n, tracks)`` samples, at most so many, none where none are there; what is
        written over by now is passed over."""
        until = self.position
        # What the writer may be at is left out.
        oldest = until - self._frames + self._frames // 8
        if self.at < oldest:
            self.at, self.lost = oldest, self.lost + 1
        count = min(most, until - self.at)
        found = self._ring[(self.at + np.arange(count)) % self._frames].astype(np.float64)
        self.at += count
        return found

    def close(self) -> None:
        """Read no more."""
        del self._ring
        self._memory.close()


class SharedWriter:
    """Tracks of what is live, as they are written for whoever asked for them."""

    def __init__(self, tracks: Sequence[records.Track], rate_hz: int, folder: Path) -> None:
        self._wanted = tuple(tracks)
        self._lock, self._closed = threading.Lock(), False
        frames = round(_KEPT_S * rate_hz)
        self._tracks = SharedTracks(sum(each.channels for each in tracks), frames, folder)
        self.answer = records.Shared(
            self._tracks.place, self._tracks.tracks, self._tracks.frames, rate_hz
        )

    def hear(self, signals: Mapping[str, Samples], mixed: Mapping[str, Samples]) -> None:
        """A block of everything that goes by; what there is not is silent."""
        blocks = side_by_side(self._wanted, signals, mixed)
        with self._lock:
            if not self._closed:
                self._tracks.push(np.hstack(blocks))

    def close(self) -> None:
        """Write it no more."""
        with self._lock:
            self._closed = True
            self._tracks.close()


class Wanted(Protocol):
    """A track of a signal by its name, or of a listener's mix (``mix KEY``)."""

    @property
    def signal(self) -> str:
        """Its name."""
        ...

    @property
    def channels(self) -> int:
        """One or two."""
        ...


def side_by_side(
    tracks: Iterable[Wanted], signals: Mapping[str, Samples], mixed: Mapping[str, Samples]
) -> tuple[Samples, ...]:
    """The block ``(n, channels)`` of each track in what goes by; what there is not is silent."""
    found = [(each.channels, _named(each.signal, signals, mixed)) for each in tracks]
    count = max((len(block) for _, block in found if block is not None), default=0)
    return tuple(
        np.zeros((count, channels)) if block is None else wide(block, channels)
        for channels, block in found
    )


def _named(
    name: str, signals: Mapping[str, Samples], mixed: Mapping[str, Samples]
) -> Samples | None:
    return mixed.get(name.removeprefix("mix ")) if name.startswith("mix ") else signals.get(name)
