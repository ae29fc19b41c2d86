"""Every kept file held against what was kept: what is lost is marked, what is back is used
again."""

from __future__ import annotations

import logging

import soundfile
from sqlalchemy import select

from obsidian_wren.core.wording import _
from obsidian_wren.formats.sound_header import library_path
from obsidian_wren.service.calibration import deriving
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.readings.lost_sounds import CODE
from obsidian_wren.service.takes import keeping
from obsidian_wren.store import take_files
from obsidian_wren.store.models import Clip, Recording, Take

_LOG = logging.getLogger(__name__)


def check_sounds(app: AppContext) -> int:
    """Hold every file against what was kept: mark what is lost, let what is back be used again.

    Returns how many changed.

    What stood on a sound that is lost stays as it was derived; what is derived next does without
    it.
    """
    changed = _check_takes_and_clips(app) + _check_recordings(app)
    if changed:
        app.changed()
    return changed


def _check_takes_and_clips(app: AppContext) -> int:
    with app.sessions() as session:
        known = dict.fromkeys(
            [*session.scalars(select(Take.sha256)), *session.scalars(select(Clip.sha256))]
        )
    found = {digest: take_files.check_take(app.folder, digest) for digest in known}
    changed = 0
    rigs: set[int] = set()
    with app.sessions.begin() as session:
        for take in session.scalars(select(Take)):
            wrong = found.get(take.sha256)
            if wrong is not None and take.fault is None:
                take.fault, take.fault_code = wrong, CODE
                changed += 1
            elif wrong is None and take.fault_code == CODE:
                take.fault = take.fault_code = None
                rigs.add(take.rig_id)
                changed += 1
        for clip in session.scalars(select(Clip)):
            wrong = found.get(clip.sha256)
            if wrong != clip.fault:
                clip.fault = wrong
                changed += 1
    for rig_id in rigs:
        _derive_again(app, rig_id)
    return changed


def _derive_again(app: AppContext, rig_id: int) -> None:
    keeping.measure_missing(app)
    try:
        app.work(deriving.derive_rig, rig_id, False)
    except Exception:
        # What is kept stands; one press derives it anew, and says what is wrong.
        _LOG.exception("What a sound gives that came back could not be derived")


def _check_recordings(app: AppContext) -> int:
    changed = 0
    with app.sessions.begin() as session:
        for row in session.scalars(
            select(Recording).where(Recording.frames > 0, Recording.discarded.is_(False))
        ):
            wrong = _wrong_with(app, row)
            if wrong != row.fault:
                row.fault = wrong
                changed += 1
    return changed


def _wrong_with(app: AppContext, row: Recording) -> str | None:
    path = app.folder.recordings / row.file_name
    put_back = _("Put it back from a copy, or delete it here.")
    if not path.exists():
        return _(
            "Its file is gone: “{file_name}” is no longer among the recordings. {put_back}",
            file_name=row.file_name,
            put_back=put_back,
        )
    try:
        size, frames = path.stat().st_size, soundfile.info(library_path(path)).frames
    except (OSError, RuntimeError):
        return _(
            "“{file_name}” can no longer be read as sound. {put_back}",
            file_name=row.file_name,
            put_back=put_back,
        )
    if frames < row.frames or (row.size_bytes is not None and size < row.size_bytes):
        return _(
            "“{file_name}” is shorter than it was: part of it is gone. {put_back}",
            file_name=row.file_name,
            put_back=put_back,
        )
    return None
