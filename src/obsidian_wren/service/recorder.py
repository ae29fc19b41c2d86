"""The recorder: tracks of a run into files that are whole at any instant; split without a gap, measured as they grow."""

from __future__ import annotations

import logging
import queue
import re
import threading
from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
import soundfile
from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.running import RunningLevels
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.history import change
from obsidian_wren.service.kept import now
from obsidian_wren.service.tracks import Split, Track
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.store.folder import FolderError
from obsidian_wren.store.models import Recording
from obsidian_wren.store.track_files import FileFormat, TrackFile, open_track, tell_samples

_LOG = logging.getLogger(__name__)
POINTS = 240
# A file of this size without a sample that can be read is not a stub.
_STUB_BYTES = 64_000
_MOST_WAITING = 3000
_CHUNK_S = 1.0


@dataclass(frozen=True)
class Part:
    """A file that is whole: what it says of itself."""

    path: Path
    track: Track
    number: int
    frames: int
    lufs: float | None
    true_peak_dbtp: float | None
    waveform: tuple[float, ...]


@dataclass
class _Open:
    track: Track
    number: int
    file: TrackFile
    levels: RunningLevels
    began: int = field(default=0)


class Recorder:
    """Writes tracks beside the run; a disk that stalls holds nothing up.

    ``tell_part`` gets every file when it is finished; ``tell_trouble`` a sentence when writing had to end, which it does by itself then;
    ``tell_ended`` when the last file is finished, however that came.
    """

    def __init__(
        self, folder: Path, stem: str, tracks: Sequence[Track], *, rate_hz: int, file_format: FileFormat, split: Split,
        tell_open: Callable[[Path, Track, int], None], tell_part: Callable[[Part], None], tell_trouble: Callable[[str], None],
        tell_ended: Callable[[], None] = lambda: None,
    ) -> None:  # fmt: skip
        self.stem = stem
        self.tracks = tuple(tracks)
        self.failed: str | None = None
        self.part = 1
        self._folder, self._rate_hz, self._format, self._split = folder, rate_hz, file_format, split
        self._tell_open, self._tell_part, self._tell_trouble, self._tell_ended = tell_open, tell_part, tell_trouble, tell_ended
        self._queue: queue.Queue[tuple[Samples, ...] | str] = queue.Queue(_MOST_WAITING)
        self._open: list[_Open] = self._begin_all(1)
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
        if self.failed is not None:
            return
        blocks = tuple(_shaped(_find(track.signal, signals, mixed), track.channels) for track in self.tracks)
        count = max((len(block) for block in blocks), default=0)
        blocks = tuple(block if len(block) else np.zeros((count, t.channels)) for block, t in zip(blocks, self.tracks, strict=True))
        try:
            self._queue.put_nowait(blocks)
        except queue.Full:
            self._fail(
                "The disk is too slow: half a minute of sound waits to be written. What was written is kept; record again to another disk."
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

    def _begin_all(self, number: int) -> list[_Open]:
        """A file for every track, or none: what was begun goes again where one cannot begin."""
        begun: list[_Open] = []
        try:
            for track in self.tracks:
                begun.append(self._begin(track, number))
        except Exception:
            for entry in begun:
                self._finish_one(entry)
            raise
        return begun

    def _begin(self, track: Track, number: int) -> _Open:
        path = self._folder / f"{self.stem} {track.name} {number:02d}.{self._format}"
        levels = RunningLevels(rate_hz=self._rate_hz, channels=track.channels)
        # Its row first: a kill in between leaves a row without a file, never a file that nobody knows of.
        self._tell_open(path, track, number)
        try:
            file = open_track(path, rate_hz=self._rate_hz, channels=track.channels, file_format=self._format)
        except Exception:
            self._tell_part(part_of(path, track, number, 0, levels))
            raise
        return _Open(track, number, file, levels)

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
                # A tenth of a second at a time costs a tenth of the calls; a kill costs no more than that.
                if frames >= 0.1 * self._rate_hz:
                    self._write(waiting)
                    waiting, frames = [], 0
                    if self._is_full():
                        self._next()
        except FolderError as error:
            self._fail(f"{error} Recording has stopped.")
        except Exception:
            _LOG.exception("The recorder failed")
            self._fail(
                "The recording could not be written, so it has stopped. What was written is kept; check the disk, then record again."
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
        large = megabytes is not None and any(entry.file.path.stat().st_size >= 1e6 * megabytes for entry in self._open)
        return long or large or any(getattr(entry.file, "full", False) for entry in self._open)

    def _next(self) -> None:
        number = self.part + 1
        coming = self._begin_all(number)
        ended, self._open, self.part = self._open, coming, number
        for entry in ended:
            self._finish_one(entry)

    def _finish_one(self, entry: _Open) -> None:
        """Finish a file and tell of it. One that cannot be finished is read back, and kept as far as it is whole."""
        part = part_of(entry.file.path, entry.track, entry.number, entry.file.frames, entry.levels)
        try:
            entry.file.close()
            if self.failed is not None:
                part = measured(part, self._rate_hz)
        except Exception as error:
            self._fail(f"{error} Recording has stopped." if isinstance(error, FolderError) else _NOT_FINISHED)
            with suppress(FolderError, OSError):
                part = measured(part, self._rate_hz)
                tell_samples(part.path, part.frames)
        try:
            self._tell_part(part)
        except Exception:
            # Its row stays open: the next start reads the file and lists it.
            _LOG.exception("A finished recording could not be listed")
            self._fail("A recording could not be listed; its file is kept and listed when the program starts anew.")

    def _fail(self, sentence: str) -> None:
        if self.failed is None:
            self.failed = sentence
            self._tell_trouble(sentence)


_NOT_FINISHED = "A recording could not be finished. What was written is kept; check the disk, then record again."


def measured(part: Part, rate_hz: int) -> Part:
    """A file as it really lies, read from its beginning as far as it is whole."""
    levels = RunningLevels(rate_hz=rate_hz, channels=part.track.channels)
    frames = 0
    # Ended before the first frame, or in the middle of the last: what could be read counts.
    with suppress(soundfile.LibsndfileError, OSError), soundfile.SoundFile(part.path) as file:
        while len(block := file.read(round(_CHUNK_S * rate_hz), dtype="float64", always_2d=True)):
            levels.add(block)
            frames += len(block)
    return part_of(part.path, part.track, part.number, frames, levels)


def part_of(path: Path, track: Track, number: int, frames: int, levels: RunningLevels) -> Part:
    """What a finished file says of itself."""
    waveform = tuple(round(float(h), 4) for h in levels.waveform(POINTS))
    return Part(path, track, number, frames, levels.lufs, levels.true_peak_dbtp, waveform)


def _find(name: str, signals: Mapping[str, Samples], mixed: Mapping[str, Samples]) -> Samples | None:
    return mixed.get(name.removeprefix("mix ")) if name.startswith("mix ") else signals.get(name)


def _shaped(block: Samples | None, channels: int) -> Samples:
    if block is None:
        return np.zeros((0, channels))
    wide = block[:, None] if block.ndim == 1 else block
    if wide.shape[1] == channels:
        return wide
    return np.repeat(wide, 2, axis=1) if channels == 2 else wide.mean(axis=1, keepdims=True)


def stem_of(purpose: str, at: str, folder: Path | None = None) -> str:
    """A name by date and purpose that every system takes; numbered where a recording of this second is there already."""
    clean = re.sub(r"[^\w\- ]", "", purpose, flags=re.UNICODE).strip()[:60] or "Recording"
    stem = f"{at[:10]} {at[11:19].replace(':', '-')} {clean}"
    names = [path.name for path in folder.iterdir()] if folder is not None else []
    number, found = 1, stem
    while any(name.startswith(f"{found} ") for name in names):
        number += 1
        found = f"{stem} ({number})"
    return found


def keep_open(ws: Workshop, recorder_session: str, title: str, path: Path, track: Track, number: int, rate_hz: int) -> None:
    """A file that has begun: its row comes first, so that a kill leaves none without one."""
    with ws.sessions.begin() as session:
        session.add(
            Recording(
                file_name=path.name, title=title, session=recorder_session, track=track.title, part=number, channels=track.channels,
                rate_hz=rate_hz, frames=0, loudness_lufs=None, true_peak_dbtp=None, waveform=[], discarded=False, at=now(),
                size_bytes=None, fault=None,
            )
        )  # fmt: skip


def keep_part(ws: Workshop, part: Part) -> None:
    """A file that is finished; one without a sample goes, or is put aside where it is no mere stub."""
    with ws.sessions.begin() as session:
        row = session.scalars(select(Recording).where(Recording.file_name == part.path.name)).first()
        if row is None:
            return
        if part.frames == 0:
            session.delete(row)
        else:
            row.frames, row.loudness_lufs, row.true_peak_dbtp, row.waveform = (
                part.frames,
                part.lufs,
                part.true_peak_dbtp,
                list(part.waveform),
            )
            row.size_bytes = part.path.stat().st_size
    if part.frames == 0:
        _remove_stub(ws, part.path)


def _remove_stub(ws: Workshop, path: Path) -> None:
    if not path.exists():
        return
    if path.is_file() and path.stat().st_size <= _STUB_BYTES:
        path.unlink()
        return
    place = ws.folder.put_aside(path)
    ws.find(
        "recording-unreadable",
        f"A recording that was cut off cannot be read: “{path.name}”.",
        f"Its file was put into “{place.relative_to(ws.folder.path)}” of the data folder; a sound editor may read more of it.",
    )


def take_up(ws: Workshop) -> str | None:
    """What a kill left open is measured and listed; what the list no longer holds is removed. Returns a sentence when something was."""
    with ws.sessions() as session:
        left = session.scalars(select(Recording).where(Recording.frames == 0)).all()
    saved = 0
    for row in left:
        path = ws.folder.recordings / row.file_name
        track = Track(row.track, row.track, "", row.channels)
        part = measured(part_of(path, track, row.part, 0, RunningLevels(rate_hz=row.rate_hz, channels=row.channels)), row.rate_hz)
        saved += part.frames > 0
        keep_part(ws, part)
    purge_discarded(ws)
    if not saved:
        return None
    return (
        f"A recording was cut off. {saved} file{'s' if saved > 1 else ''} of it {'are' if saved > 1 else 'is'} whole up to then, in Send."
    )


def rename(ws: Workshop, recording_id: int, title: str) -> None:
    """Give every file of a recording another title; the files take the name as well."""
    clean = title.strip()
    if not clean:
        raise Refused("no-title", "A recording needs a name. Type one.")
    with ws.sessions() as session:
        row = _row(session, recording_id)
        running = ws.recorder is not None and row.session == ws.recording_session
    if running:
        raise Refused("recording", "It is being recorded. Stop it first, then rename it.")
    with change(ws, f"Renamed {row.title}") as session:
        for each in session.scalars(select(Recording).where(Recording.session == row.session)):
            each.title = clean[:120]
    ws.changed()


def discard(ws: Workshop, recording_id: int) -> None:
    """Take one file out of the list; undo brings it back until the program starts anew."""
    with change(ws, "Deleted a recording") as session:
        row = _row(session, recording_id)
        if row.frames == 0:
            raise Refused("recording", "It is being recorded. Stop it first, then delete it.")
        row.discarded = True
    ws.changed()


def purge_discarded(ws: Workshop) -> None:
    """Files that were deleted in an earlier run of the program go for good."""
    with ws.sessions.begin() as session:
        for row in session.scalars(select(Recording).where(Recording.discarded.is_(True))):
            with suppress(OSError):
                (ws.folder.recordings / row.file_name).unlink(missing_ok=True)
        session.execute(delete(Recording).where(Recording.discarded.is_(True)))


def download_name(row: Recording) -> str:
    """What a file is called outside: date, title, track and part."""
    ending = row.file_name.rpartition(".")[2]
    part = f" {row.part}" if row.part > 1 else ""
    title = re.sub(r"[^\w\- ]", "", row.title)
    return f"{row.at[:10]} {title} {row.track}{part}.{ending}"


def _row(session: Session, recording_id: int) -> Recording:
    row = session.get(Recording, recording_id)
    if row is None or row.discarded:
        raise Refused("no-recording", "This recording is no longer there.")
    return row
