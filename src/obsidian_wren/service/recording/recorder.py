"""The recorder: tracks of a run into files that are whole at any instant; split without a gap,
measured as they grow."""

from __future__ import annotations

import logging
import queue
import threading
from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.running import RunningLevels
from obsidian_wren.core.wording import worded
from obsidian_wren.service.recording.recorded_file import (
    RecordedFile,
    measured,
    part_of,
)
from obsidian_wren.service.recording.tracks import Split, Track
from obsidian_wren.store.folder import FolderError
from obsidian_wren.store.track_files import FileFormat, TrackFile, open_track, tell_samples
from obsidian_wren.voice.shared import side_by_side

_LOG = logging.getLogger(__name__)
_MOST_WAITING = 3000
_CHUNK_S = 1.0


@dataclass
class _OpenTrack:
    track: Track
    number: int
    file: TrackFile
    levels: RunningLevels
    began: int = field(default=0)


class Recorder:
    """Writes tracks beside the run; a disk that stalls holds nothing up.

    ``tell_part`` gets every file when it is finished; ``tell_trouble`` a sentence when writing had
    to end, which it does by itself then; ``tell_ended`` when the last file is finished, however
    that came.
    """

    def __init__(
        self,
        folder: Path,
        stem: str,
        tracks: Sequence[Track],
        *,
        rate_hz: int,
        file_format: FileFormat,
        split: Split,
        tell_open: Callable[[Path, Track, int], None],
        tell_part: Callable[[RecordedFile], None],
        tell_trouble: Callable[[str], None],
        tell_ended: Callable[[], None] = lambda: None,
    ) -> None:
        self.stem = stem
        self.tracks = tuple(tracks)
        self.failed: str | None = None
        self.part = 1
        self._folder, self._rate_hz, self._format, self._split = folder, rate_hz, file_format, split
        self._tell_open, self._tell_part, self._tell_trouble, self._tell_ended = (
            tell_open,
            tell_part,
            tell_trouble,
            tell_ended,
        )
        self._queue: queue.Queue[tuple[Samples, ...] | str] = queue.Queue(_MOST_WAITING)
        self._open: list[_OpenTrack] = self._begin_all(1)
        self._thread = threading.Thread(target=self._work, daemon=True)
        self._thread.start()

    @property
    def safe_s(self) -> float:
        """Seconds of the files in hand that a kill now would leave."""
        return min((entry.file.safe_frames for entry in self._open), default=0) / self._rate_hz

    @property
    def seconds(self) -> float:
        """Seconds written to the files in hand."""
        return max((entry.file.frames for entry in self._open), default=0) / self._rate_hz

    def tap(self, signals: Mapping[str, Samples], mixed: Mapping[str, Samples]) -> None:
        """A block of everything that goes by, from the run. Never waits."""
        self.take(side_by_side(self.tracks, signals, mixed))

    def take(self, blocks: tuple[Samples, ...]) -> None:
        """A block ``(n, channels)`` of each track. Never waits."""
        if self.failed is not None:
            return
        try:
            self._queue.put_nowait(blocks)
        except queue.Full:
            self._fail(
                worded(
                    "The disk is too slow: half a minute of sound waits to be written. What was"
                    " written is kept; record again to another disk."
                )
            )

    def split_now(self) -> None:
        """End every file here and go on in the next ones, without a gap."""
        self._ask("split")

    def stop(self) -> None:
        """Write what waits, and finish the files."""
        self._ask("stop")
        self._thread.join(timeout=60)

    def _ask(self, what: str) -> None:
        while self._thread.is_alive():
            with suppress(queue.Full):
                self._queue.put(what, timeout=0.2)
                return

    def _begin_all(self, number: int) -> list[_OpenTrack]:
        """A file for every track, or none: what was begun goes again where one cannot begin."""
        begun: list[_OpenTrack] = []
        try:
            for track in self.tracks:
                begun.append(self._begin(track, number))
        except Exception:
            for entry in begun:
                self._finish_one(entry)
            raise
        return begun

    def _begin(self, track: Track, number: int) -> _OpenTrack:
        path = self._folder / f"{self.stem} {track.name} {number:02d}.{self._format}"
        levels = RunningLevels(rate_hz=self._rate_hz, channels=track.channels)
        # Its row first: a kill in between leaves a row without a file, never a file that nobody
        # knows of.
        self._tell_open(path, track, number)
        try:
            file = open_track(
                path, rate_hz=self._rate_hz, channels=track.channels, file_format=self._format
            )
        except Exception:
            self._tell_part(part_of(path, track, number, 0, levels))
            raise
        return _OpenTrack(track, number, file, levels)

    def _work(self) -> None:
        waiting: list[tuple[Samples, ...]] = []
        frames = 0
        try:
            while self.failed is None:
                got = self._queue.get()
                if isinstance(got, str):
                    self._write(waiting)
                    waiting, frames = [], 0
                    if got == "stop":
                        break
                    self._next()
                    continue
                waiting.append(got)
                frames += len(got[0])
                # A tenth of a second at a time costs a tenth of the calls; a kill costs no more
                # than that.
                if frames >= 0.1 * self._rate_hz:
                    self._write(waiting)
                    waiting, frames = [], 0
                    if self._is_full():
                        self._next()
        except FolderError as error:
            self._fail(worded("{error} Recording has stopped.", error=error))
        except Exception:
            _LOG.exception("The recorder failed")
            self._fail(
                worded(
                    "The recording could not be written, so it has stopped. What was written is"
                    " kept; check the disk, then record again."
                )
            )
        finally:
            for entry in self._open:
                self._finish_one(entry)
            self._open = []
            self._tell_ended()

    def _write(self, waiting: list[tuple[Samples, ...]]) -> None:
        if not waiting:
            return
        for place, entry in enumerate(self._open):
            block = np.concatenate([blocks[place] for blocks in waiting])
            entry.file.write(block)
            entry.levels.add(block)

    def _is_full(self) -> bool:
        minutes, megabytes = self._split.minutes, self._split.megabytes
        long = minutes is not None and self.seconds >= 60.0 * minutes
        large = megabytes is not None and any(
            entry.file.path.stat().st_size >= 1e6 * megabytes for entry in self._open
        )
        return long or large or any(getattr(entry.file, "full", False) for entry in self._open)

    def _next(self) -> None:
        number = self.part + 1
        coming = self._begin_all(number)
        ended, self._open, self.part = self._open, coming, number
        for entry in ended:
            self._finish_one(entry)

    def _finish_one(self, entry: _OpenTrack) -> None:
        """Finish a file and tell of it.

        One that cannot be finished is read back, and kept as far as it is whole.
        """
        part = part_of(entry.file.path, entry.track, entry.number, entry.file.frames, entry.levels)
        try:
            entry.file.close()
            if self.failed is not None:
                part = measured(part, self._rate_hz)
        except Exception as error:
            self._fail(
                worded("{error} Recording has stopped.", error=error)
                if isinstance(error, FolderError)
                else _NOT_FINISHED
            )
            with suppress(FolderError, OSError):
                part = measured(part, self._rate_hz)
                tell_samples(part.path, part.frames)
        try:
            self._tell_part(part)
        except Exception:
            # Its row stays open: the next start reads the file and lists it.
            _LOG.exception("A finished recording could not be listed")
            self._fail(
                worded(
                    "A recording could not be listed; its file is kept and listed at the next"
                    " start."
                )
            )

    def _fail(self, sentence: str) -> None:
        if self.failed is None:
            self.failed = sentence
            self._tell_trouble(sentence)


_NOT_FINISHED = worded(
    "A recording could not be finished. What was written is kept; check the disk, then"
    " record again."
)
