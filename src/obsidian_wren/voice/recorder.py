"""The recorder: tracks of a run into files that are whole at any instant; split without a gap,
measured as they grow."""

from __future__ import annotations

import logging
import queue
import threading
from collections.abc import Callable, Mapping
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.running import RunningLevels
from obsidian_wren.core.wording import _
from obsidian_wren.ports.disk import FolderError
from obsidian_wren.voice import records
from obsidian_wren.voice.recorded_file import RecordedFile, held, measured
from obsidian_wren.voice.shared import side_by_side
from obsidian_wren.voice.track_files import TrackFile, open_track, tell_samples

_LOG = logging.getLogger(__name__)
_MOST_WAITING = 3000
_CHUNK_S = 1.0


@dataclass
class _OpenTrack:
    track: records.RecordedTrack
    number: int
    file: TrackFile
    levels: RunningLevels


class Recorder:
    """Writes tracks beside what is live, at its rate; a disk that stalls holds nothing up. ``tell``
    is given the news, from a thread. When writing has to end it does so by itself. Raises
    FolderError where a file cannot begin."""

    def __init__(
        self,
        asked: records.BeginRecording,
        *,
        rate_hz: int,
        tell: Callable[[str, dict[str, Any]], None],
    ) -> None:
        self.asked = asked
        self.failed: str | None = None
        self.part = 1
        self._folder, self._rate_hz = Path(asked.folder), rate_hz
        self._news = tell
        self._queue: queue.Queue[tuple[Samples, ...] | str] = queue.Queue(_MOST_WAITING)
        self._open: list[_OpenTrack] = self._begin_all(1)
        self._thread = threading.Thread(target=self._work, name="recorder", daemon=True)
        self._thread.start()

    def _tell(self, what: str, **body: Any) -> None:
        self._news(what, {"key": self.asked.key, **body})

    def _tell_part(self, part: RecordedFile) -> None:
        self._tell(
            "recorded file",
            file=part.path.name,
            frames=part.frames,
            lufs=part.lufs,
            true_peak_dbtp=part.true_peak_dbtp,
            waveform=part.waveform,
        )

    @property
    def is_over(self) -> bool:
        """Whether its last file is finished."""
        return not self._thread.is_alive()

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
        if self.failed is not None:
            return
        try:
            self._queue.put_nowait(side_by_side(self.asked.tracks, signals, mixed))
        except queue.Full:
            self._fail(
                _(
                    "The disk is too slow: half a minute of sound waits to be written. What was"
                    " written is saved; record to another disk."
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
        # Told first: a kill in between leaves a row without a file.
        self._tell("recording part", part=number, rate_hz=self._rate_hz)
        try:
            for track in self.asked.tracks:
                begun.append(self._begin(track, number))
        except Exception:
            for entry in begun:
                self._finish_one(entry)
            raise
        return begun

    def _begin(self, track: records.RecordedTrack, number: int) -> _OpenTrack:
        path = self._folder / self.asked.file_name(track, number)
        levels = RunningLevels(rate_hz=self._rate_hz, channels=track.channels)
        try:
            file = open_track(
                path,
                rate_hz=self._rate_hz,
                channels=track.channels,
                file_format=self.asked.file_format,
            )
        except Exception:
            self._tell_part(held(path, 0, levels))
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
            self._fail(_("{error} Recording has stopped.", error=error))
        except Exception:
            _LOG.exception("The recorder failed")
            self._fail(
                _(
                    "The recording could not be written, so it stopped. What was written is"
                    " saved; check the disk, then record again."
                )
            )
        finally:
            for entry in self._open:
                self._finish_one(entry)
            self._open = []
            self._tell("recording ended")

    def _write(self, waiting: list[tuple[Samples, ...]]) -> None:
        if not waiting:
            return
        for place, entry in enumerate(self._open):
            block = np.concatenate([blocks[place] for blocks in waiting])
            entry.file.write(block)
            entry.levels.add(block)

    def _is_full(self) -> bool:
        minutes, megabytes = self.asked.minutes, self.asked.megabytes
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
        path, channels = entry.file.path, entry.track.channels
        part = held(path, entry.file.frames, entry.levels)
        try:
            entry.file.close()
            if self.failed is not None:
                part = measured(path, channels=channels, rate_hz=self._rate_hz)
        except Exception as error:
            self._fail(
                _("{error} Recording has stopped.", error=error)
                if isinstance(error, FolderError)
                else _not_finished()
            )
            with suppress(FolderError, OSError):
                part = measured(path, channels=channels, rate_hz=self._rate_hz)
                tell_samples(part.path, part.frames)
        self._tell_part(part)

    def _fail(self, sentence: str) -> None:
        if self.failed is None:
            self.failed = sentence
            self._tell("recording trouble", sentence=sentence)


def _not_finished() -> str:
    return _(
        "A recording could not be finished. What was written is saved; check the disk, then record"
        " again."
    )
