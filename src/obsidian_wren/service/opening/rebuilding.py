"""Making rows again from what lies beside the database: takes and clips from what is said beside
their sounds, recordings from their files."""

from __future__ import annotations

import logging
from contextlib import suppress
from pathlib import Path
from typing import Any

import soundfile
from sqlalchemy import select
from sqlalchemy.orm import Session

from obsidian_wren.core.told import Told
from obsidian_wren.formats.sound_header import library_path
from obsidian_wren.service.calibration import deriving
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.context.clock import now
from obsidian_wren.service.rig.rigs import the_rig
from obsidian_wren.service.takes import discarding, keeping
from obsidian_wren.service.words import PURPOSES
from obsidian_wren.store import take_files
from obsidian_wren.store.models import Clip, Recording, Rig, Take
from obsidian_wren.voice import recorded_file

_LOG = logging.getLogger(__name__)
# How the recorder names its files: when, what for, the track, the part.
_NAMED = 3


def take_back(app: AppContext) -> int:
    """Make rows for sounds and recordings that the database does not know; returns how many.

    Then what stands on them is derived.
    """
    with app.sessions() as session:
        known = discarding.held_sounds(session)
        recorded = set(session.scalars(select(Recording.file_name)))
    taken = 0
    for path in sorted(app.folder.takes.glob("*.flac"), key=lambda path: path.stat().st_mtime_ns):
        if path.stem not in known:
            taken += _take_back_sound(app, path.stem)
    for path in sorted(app.folder.recordings.iterdir()):
        if path.name not in recorded and path.suffix in (".flac", ".wav"):
            taken += _take_back_recording(app, path)
    if taken:
        keeping.measure_missing(app)
        with suppress(Told):
            # What hangs on takes that are there again; where they do not carry it, their own faults
            # say so.
            deriving.derive_again(app)
    return taken


def _take_back_sound(app: AppContext, digest: str) -> bool:
    entries = take_files.descriptions(app.folder, digest)
    if not entries or take_files.check_take(app.folder, digest) is not None:
        return False
    info = soundfile.info(library_path(take_files.take_path(app.folder, digest)))
    made = False
    for entry in entries:
        try:
            with app.sessions.begin() as session:
                row = _row(app, session, digest, info.samplerate, info.frames, entry)
                if row is not None:
                    session.add(row)
                    made = True
        except (KeyError, TypeError, ValueError):
            # Said by a newer version, or by somebody else.
            _LOG.warning("A sound says of itself what cannot be used", exc_info=True)
    return made


def _row(
    app: AppContext, session: Session, digest: str, rate_hz: int, frames: int, entry: dict[str, Any]
) -> Take | Clip | None:
    if entry.get("as") == "clip":
        place = max(session.scalars(select(Clip.place)), default=-1) + 1
        taken = set(session.scalars(select(Clip.key)))
        key = entry.get("key")
        return Clip(
            name=str(entry["name"])[:80],
            sha256=digest,
            rate_hz=rate_hz,
            frames=frames,
            start_s=0.0,
            end_s=frames / rate_hz,
            lufs=None,
            key=None if key in taken else key,
            place=place,
            fault=None,
        )
    if entry.get("as") != "take" or entry["purpose"] not in PURPOSES:
        return None
    rig = session.scalars(select(Rig).where(Rig.name == str(entry["rig"]))).first() or the_rig(
        app, session
    )
    return Take(
        rig_id=rig.id,
        purpose=str(entry["purpose"]),
        sha256=digest,
        rate_hz=rate_hz,
        frames=frames,
        source=str(entry["source"]),
        facts=dict(entry["facts"]),
        channels=entry.get("channels"),
        half=bool(entry.get("half")),
        notes=[str(n) for n in entry.get("notes", [])],
        fault=None,
        fault_code=None,
        discarded=False,
        ended=entry.get("ended"),
        taken_at=str(entry["at"])[:32],
    )


def _take_back_recording(app: AppContext, path: Path) -> bool:
    try:
        info = soundfile.info(str(path))
    except (RuntimeError, OSError):
        return False
    words = path.stem.split(" ")
    title = " ".join(words[2:-1]) if len(words) > _NAMED else path.stem
    part = recorded_file.measured(path, channels=info.channels, rate_hz=info.samplerate)
    if not part.frames:
        return False
    with app.sessions.begin() as session:
        session.add(
            Recording(
                file_name=path.name,
                title=title[:120],
                session=path.stem[:40],
                track=title[:40],
                part=1,
                channels=info.channels,
                rate_hz=info.samplerate,
                frames=part.frames,
                loudness_lufs=part.lufs,
                true_peak_dbtp=part.true_peak_dbtp,
                waveform=list(part.waveform),
                discarded=False,
                at=now(),
                size_bytes=path.stat().st_size,
                fault=None,
            )
        )
    return True
