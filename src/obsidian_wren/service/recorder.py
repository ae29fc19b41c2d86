"""The recorder: tracks of a run into files that are whole at any instant; split without a gap, measured as they grow."""

from __future__ import annotations

import queue
import re
import threading
from collections.abc import Callable, Mapping, Sequence
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
from obsidian_wren.store.track_files import FileFormat, TrackFile, open_track

POINTS = 240
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

    ``tell_part`` gets every file when it is finished; ``tell_trouble`` a sentence when writing had to end.
    """

    def __init__(
        self, folder: Path, stem: str, tracks: Sequence[Track], *, rate_hz: int, file_format: FileFormat, split: Split,
        tell_open: Callable[[Path, Track, int], None], tell_part: Callable[[Part], None], tell_trouble: Callable[[str], None],
    ) -> None:  # fmt: skip
        self.stem = stem
        self.tracks = tuple(tracks)
        self.failed: str | None = None
        self.part = 1
        self._folder, self._rate_hz, self._format, self._split = folder, rate_hz, file_format, split
        self._tell_open, self._tell_part, self._tell_trouble = tell_open, tell_part, tell_trouble
        self._queue: queue.Queue[tuple[Samples, ...] | str] = queue.Queue(_MOST_WAITING)
        self._open: list[_Open] = [self._begin(track, 1) for track in self.tracks]
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
        self._queue.put("split")

    def stop(self) -> None:
        """Write what waits, and finish the files."""
        self._queue.put("stop")
        self._thread.join(timeout=60)

    def _begin(self, track: Track, number: int) -> _Open:
        path = self._folder / f"{self.stem} {track.name} {number:02d}.{self._format}"
        file = open_track(path, rate_hz=self._rate_hz, channels=track.channels, file_format=self._format)
        self._tell_open(path, track, number)
        return _Open(track, number, file, RunningLevels(rate_hz=self._rate_hz, channels=track.channels))

    def _work(self) -> None:
        waiting: list[tuple[Samples, ...]] = []
        frames = 0
        try:
            while True:
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
            self._fail(str(error))
        except OSError as error:
            self._fail(f"The recording could not be written ({error.strerror}). What was written is kept.")
        finally:
            self._finish()

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
        coming = [self._begin(track, number) for track in self.tracks]
        self._finish()
        self._open, self.part = coming, number

    def _finish(self) -> None:
        for entry in self._open:
            try:
                entry.file.close()
            except FolderError as error:
                self._fail(str(error))
            self._tell_part(part_of(entry.file.path, entry.track, entry.number, entry.file.frames, entry.levels))
        self._open = []

    def _fail(self, sentence: str) -> None:
        if self.failed is None:
            self.failed = sentence
            self._tell_trouble(sentence)


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


def stem_of(purpose: str, at: str) -> str:
    """A name by date and purpose that every system takes."""
    clean = re.sub(r"[^\w\- ]", "", purpose, flags=re.UNICODE).strip()[:60] or "Recording"
    return f"{at[:10]} {at[11:19].replace(':', '-')} {clean}"


def keep_open(ws: Workshop, recorder_session: str, title: str, path: Path, track: Track, number: int, rate_hz: int) -> None:
    """A file that has begun: its row comes first, so that a kill leaves none without one."""
    with ws.sessions.begin() as session:
        session.add(
            Recording(
                file_name=path.name, title=title, session=recorder_session, track=track.title, part=number, channels=track.channels,
                rate_hz=rate_hz, frames=0, loudness_lufs=None, true_peak_dbtp=None, waveform=[], discarded=False, at=now(),
            )
        )  # fmt: skip


def keep_part(ws: Workshop, part: Part) -> None:
    """A file that is finished; one without a sample goes."""
    with ws.sessions.begin() as session:
        row = session.scalars(select(Recording).where(Recording.file_name == part.path.name)).first()
        if row is None:
            return
        if part.frames == 0:
            part.path.unlink(missing_ok=True)
            session.delete(row)
            return
        row.frames, row.loudness_lufs, row.true_peak_dbtp, row.waveform = part.frames, part.lufs, part.true_peak_dbtp, list(part.waveform)


def take_up(ws: Workshop) -> str | None:
    """What a kill left open is measured and listed; what the list no longer holds is removed. Returns a sentence when something was."""
    with ws.sessions() as session:
        left = session.scalars(select(Recording).where(Recording.frames == 0)).all()
    saved = 0
    for row in left:
        path = ws.folder.recordings / row.file_name
        part = _measure(path, row)
        saved += part.frames > 0
        keep_part(ws, part)
    purge_discarded(ws)
    if not saved:
        return None
    return (
        f"A recording was cut off. {saved} file{'s' if saved > 1 else ''} of it {'are' if saved > 1 else 'is'} whole up to then, in Send."
    )


def _measure(path: Path, row: Recording) -> Part:
    track = Track(row.track, row.track, "", row.channels)
    levels = RunningLevels(rate_hz=row.rate_hz, channels=row.channels)
    frames = 0
    try:
        with soundfile.SoundFile(path) as file:
            while len(block := file.read(round(_CHUNK_S * row.rate_hz), dtype="float64", always_2d=True)):
                levels.add(block)
                frames += len(block)
    except soundfile.LibsndfileError:
        # Killed before the first frame, or in the middle of the last: what was read counts.
        pass
    return part_of(path, track, row.part, frames, levels)


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
