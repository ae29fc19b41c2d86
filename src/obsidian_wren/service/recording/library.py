"""The recordings as they are kept: begun, finished, taken up after a kill, renamed, deleted."""

from __future__ import annotations

import re
from contextlib import suppress
from pathlib import Path

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from obsidian_wren.core.wording import _, ngettext
from obsidian_wren.service import recording
from obsidian_wren.service.changes.record import change
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.context.clock import now
from obsidian_wren.service.errors import Refused
from obsidian_wren.store.models import Recording
from obsidian_wren.voice.recorded_file import RecordedFile, measured
from obsidian_wren.voice.records import BeginRecording

# A file of this size without a sample that can be read is not a stub.
_STUB_BYTES = 64_000


def keep_open(app: AppContext, asked: BeginRecording, part: int, rate_hz: int) -> None:
    """The files of a part that begins: each has its row first, so that a kill leaves none without
    one."""
    with app.sessions.begin() as session:
        names = [asked.file_name(track, part) for track in asked.tracks]
        known = set(
            session.scalars(select(Recording.file_name).where(Recording.file_name.in_(names)))
        )
        session.add_all(
            Recording(
                file_name=name,
                title=asked.title,
                session=asked.key,
                track=track.title,
                part=part,
                channels=track.channels,
                rate_hz=rate_hz,
                frames=0,
                loudness_lufs=None,
                true_peak_dbtp=None,
                waveform=[],
                discarded=False,
                at=now(),
                size_bytes=None,
                fault=None,
            )
            for name, track in zip(names, asked.tracks, strict=True)
            if name not in known
        )


def keep_part(app: AppContext, part: RecordedFile) -> None:
    """A file that is finished; one without a sample goes, or is put aside where it is no mere
    stub."""
    with app.sessions.begin() as session:
        row = session.scalars(
            select(Recording).where(Recording.file_name == part.path.name)
        ).first()
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
        _remove_stub(app, part.path)


def _remove_stub(app: AppContext, path: Path) -> None:
    if not path.exists():
        return
    if path.is_file() and path.stat().st_size <= _STUB_BYTES:
        path.unlink()
        return
    place = app.folder.put_aside(path)
    app.find(
        "recording-unreadable",
        _("An interrupted recording cannot be read: “{name}”.", name=path.name),
        _(
            "Its file was moved to “{relative_to}” of the data folder; a sound editor may be"
            " able to read more of it.",
            relative_to=place.relative_to(app.folder.path),
        ),
    )


def list_what_was_left(app: AppContext, *, but: tuple[str, int] | None = None) -> int:
    """Measure and list what a kill or a full disk left open; gives how many files of it are whole.
    ``but``: those that are still recorded, by key and number of the part."""
    with app.sessions() as session:
        left = session.scalars(select(Recording).where(Recording.frames == 0)).all()
    saved = 0
    for row in left:
        if (row.session, row.part) == but:
            continue
        path = app.folder.recordings / row.file_name
        part = app.work(_measured, path, row.channels, row.rate_hz)
        saved += part.frames > 0
        keep_part(app, part)
    return saved


def _measured(_app: AppContext, path: Path, channels: int, rate_hz: int) -> RecordedFile:
    return measured(path, channels=channels, rate_hz=rate_hz)


def take_up(app: AppContext, *, but: tuple[str, int] | None = None) -> str | None:
    """List what was left, and remove what the list no longer holds; gives a sentence where
    something was left. ``but``: those that are still recorded, by key and number of the part."""
    saved = list_what_was_left(app, but=but)
    purge_discarded(app)
    if not saved:
        return None
    return ngettext(
        "A recording was interrupted. {count} of its files is complete up to then, in Send.",
        "A recording was interrupted. {count} of its files are complete up to then, in Send.",
        saved,
    )


def rename(app: AppContext, recording_id: int, title: str) -> None:
    """Give every file of a recording another title; the files take the name as well."""
    clean = title.strip()
    if not clean:
        raise Refused("no-title", _("A recording needs a name. Type one."))
    with app.sessions() as session:
        row = _row(session, recording_id)
        running = (
            recording.current(app).recorder is not None
            and row.session == recording.current(app).session
        )
    if running:
        raise Refused("recording", _("It is being recorded. Stop it first, then rename it."))
    with change(app, _("Renamed {title}", title=row.title)) as session:
        for each in session.scalars(select(Recording).where(Recording.session == row.session)):
            each.title = clean[:120]
    app.changed()


def discard(app: AppContext, recording_id: int) -> None:
    """Take one file out of the list; undo brings it back until the program starts anew."""
    with change(app, _("Deleted a recording")) as session:
        row = _row(session, recording_id)
        if row.frames == 0:
            raise Refused("recording", _("It is being recorded. Stop it first, then delete it."))
        row.discarded = True
    app.changed()


def purge_discarded(app: AppContext) -> None:
    """Files that were deleted in an earlier run of the program go for good."""
    with app.sessions.begin() as session:
        for row in session.scalars(select(Recording).where(Recording.discarded.is_(True))):
            with suppress(OSError):
                (app.folder.recordings / row.file_name).unlink(missing_ok=True)
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
        raise Refused("no-recording", _("This recording is no longer there."))
    return row
