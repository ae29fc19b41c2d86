"""Looking through a data folder that nobody works in: the database, every file, and what belongs to
nothing; and putting right what can be.

Nothing is ever deleted but what killed uploads left: what cannot be read is put aside.
"""

from __future__ import annotations

import json
import re
import sqlite3
import tempfile
from collections.abc import Iterable
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from pydantic import ValidationError
from sqlalchemy import inspect, select
from sqlalchemy.orm import Session

from obsidian_wren.core.wording import _
from obsidian_wren.formats.calibration import CalibrationFile
from obsidian_wren.ports.world import World
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.opening import checking, opening, rebuilding
from obsidian_wren.service.page import sheet
from obsidian_wren.service.page.overview import overview_json
from obsidian_wren.service.prove.versions import version_title
from obsidian_wren.service.takes import discarding
from obsidian_wren.store import parts, salvage, take_files
from obsidian_wren.store.backup import copies
from obsidian_wren.store.database import open_database
from obsidian_wren.store.folder import DataFolder, write_through
from obsidian_wren.store.models import (
    ActiveRig,
    Base,
    BroughtFile,
    Derivation,
    KeptCalibration,
    Rig,
    Version,
)

_HELD = re.compile(r"[0-9a-f]{64}")


@dataclass(frozen=True)
class FolderTrouble:
    """Something that is not as it should be: a stable code, what it is, what to do, and whether
    that was done."""

    code: str
    sentence: str
    action: str
    put_right: bool = False


def examine(folder: DataFolder, world: World) -> list[FolderTrouble]:
    """What is wrong in a folder: its files, and whatever a page would be told of what is kept.

    Nothing in it is changed; where the database cannot be read, what hangs on it is not looked at.
    """
    wrong = salvage.what_is_wrong(folder)
    if wrong is not None:
        copy = next(iter(copies(folder)), None)
        with_copy = (
            _("its newest copy, {name}, is restored", name=copy.name)
            if copy is not None
            else _("there is no copy: a new one is created")
        )
        return [
            FolderTrouble(
                "database",
                _("The database is {wrong}.", wrong=wrong),
                _(
                    "With --repair it is set aside, {with_copy}, and sounds it does not list"
                    " are added.",
                    with_copy=with_copy,
                ),
            ),
            *_among_parts(folder),
        ]
    if not folder.database.exists():
        return _among_parts(folder)
    # A copy is looked at, so that nothing is migrated or written here.
    with tempfile.TemporaryDirectory() as elsewhere:
        looked_at = Path(elsewhere) / "wren.db"
        with (
            closing(sqlite3.connect(folder.database)) as held,
            closing(sqlite3.connect(looked_at)) as copied,
        ):
            held.backup(copied)
        sessions = open_database(looked_at)
        with sessions() as session:
            known = discarding.held_sounds(session)
        with closing(sqlite3.connect(looked_at)) as connection:
            recorded = {row[0] for row in connection.execute("SELECT file_name FROM recording")}
        unreadable = _unreadable(AppContext(folder, sessions, world, "fast"))
        sessions.close()
    return [
        *unreadable,
        *_sounds(folder, known),
        *_recordings(folder, recorded),
        *_among_parts(folder),
    ]


def _unreadable(app: AppContext) -> list[FolderTrouble]:
    """What no page could show, rig by rig, and versions that cannot be compared. Over a copy of the
    database, since another rig is taken in hand for each."""
    found: dict[str, FolderTrouble] = {}
    with app.sessions() as session:
        rigs = list(session.scalars(select(Rig.id).order_by(Rig.id)))
    for rig_id in rigs:
        with app.sessions.begin() as session:
            session.merge(ActiveRig(id=1, rig_id=rig_id))
        overview_json(app)
        for finding in sheet.current(app).unreadable.values():
            found[finding.sentence] = FolderTrouble(
                finding.code, finding.sentence, _("With --repair it is set aside.")
            )
    with app.sessions() as session:
        for version in session.scalars(select(Version).order_by(Version.id)):
            if _kept(session, version) is None:
                sentence = _("The saved {title} cannot be read.", title=version_title(version))
                found[sentence] = FolderTrouble(
                    "unreadable-version", sentence, _("With --repair it is set aside.")
                )
    return list(found.values())


def _kept(session: Session, version: Version) -> CalibrationFile | None:
    """The calibration of a version, None where it is none."""
    kept = session.get(KeptCalibration, version.sha256)
    try:
        return None if kept is None else CalibrationFile.model_validate(kept.file)
    except ValidationError:
        return None


def _sounds(folder: DataFolder, known: set[str]) -> Iterable[FolderTrouble]:
    for digest in sorted(known):
        wrong = take_files.check_take(folder, digest)
        if wrong is not None:
            yield FolderTrouble(
                "sound-lost",
                wrong,
                _(
                    "Restore the file from a copy; with --repair, whatever depended on it goes"
                    " without."
                ),
            )
    for path in sorted(folder.takes.iterdir()):
        if path.suffix == ".new" or (
            path.suffix == ".json" and _HELD.fullmatch(path.stem) and path.stem in known
        ):
            continue
        if path.suffix == ".flac" and path.stem in known:
            continue
        if path.suffix == ".flac" and take_files.descriptions(folder, path.stem):
            yield FolderTrouble(
                "orphan",
                _("No take or clip uses takes/{name}, which says what it is.", name=path.name),
                _("--repair lists it as a take or clip again."),
            )
        elif path.suffix != ".json" or not (folder.takes / f"{path.stem}.flac").exists():
            yield FolderTrouble(
                "stray",
                _("takes/{name} belongs to nothing.", name=path.name),
                _("--repair sets it aside."),
            )


def _recordings(folder: DataFolder, recorded: set[str]) -> Iterable[FolderTrouble]:
    for name in sorted(recorded):
        if not (folder.recordings / name).exists():
            yield FolderTrouble(
                "recording-lost",
                _("The recording “{name}” is gone.", name=name),
                _("Restore it from a copy, or delete it in Send."),
            )
    for path in sorted(folder.recordings.iterdir()):
        if path.name not in recorded:
            yield FolderTrouble(
                "orphan",
                _("recordings/{name} is on disk but in no list.", name=path.name),
                _("With --repair it is listed, or set aside if it is not sound."),
            )


def _among_parts(folder: DataFolder) -> list[FolderTrouble]:
    found = [
        FolderTrouble(
            "stray-part",
            _("parts/{name} is not a take in progress.", name=path.name),
            _("--repair sets it aside."),
        )
        for path in parts.strays(folder)
        if not path.name.startswith((parts.UPLOAD_PREFIX, "tmp"))
    ]
    if any(path.name.startswith((parts.UPLOAD_PREFIX, "tmp")) for path in folder.parts.iterdir()):
        found.append(
            FolderTrouble(
                "upload",
                _("An interrupted upload left a folder in parts/."),
                _("--repair removes it."),
            )
        )
    return found


def repair(folder: DataFolder, world: World) -> list[FolderTrouble]:
    """Put right what can be, as an opening does and further; what was wrong, each with whether
    it is right now."""
    before = examine(folder, world)
    app = opening.open_app(folder, world)
    try:
        _put_unreadable_aside(app)
        rebuilding.take_back(app)
        checking.check_sounds(app)
        _put_strays_aside(app)
        if app.copier is not None:
            app.copier.poke()
    finally:
        _close(app)
    left = {trouble.sentence for trouble in examine(folder, world)}
    return [
        FolderTrouble(t.code, t.sentence, t.action, put_right=t.sentence not in left)
        for t in before
    ]


def _put_unreadable_aside(app: AppContext) -> None:
    """Rows that no page can show, as JSON under ``aside/``: the brought file, versions, and answers
    of rules, which “Recalculate” makes anew."""
    aside: dict[str, list[dict[str, Any]]] = {}
    with app.sessions.begin() as session:
        for version in session.scalars(select(Version)):
            if _kept(session, version) is None:
                _lay_aside(session, version, aside)
        rigs = list(session.scalars(select(Rig.id)))
        in_hand = session.get_one(ActiveRig, 1).rig_id
    for rig_id in rigs:
        with app.sessions.begin() as session:
            session.merge(ActiveRig(id=1, rig_id=rig_id))
        overview_json(app)
        codes = {finding.code for finding in sheet.current(app).unreadable.values()}
        with app.sessions.begin() as session:
            if "unreadable-brought" in codes:
                for brought in session.scalars(select(BroughtFile)):
                    _lay_aside(session, brought, aside)
            if "unreadable-part" in codes:
                for answer in session.scalars(
                    select(Derivation).where(Derivation.rig_id == rig_id)
                ):
                    if not isinstance(answer.body, dict):
                        _lay_aside(session, answer, aside)
    with app.sessions.begin() as session:
        session.merge(ActiveRig(id=1, rig_id=in_hand))
    if aside:
        place = app.folder.put_aside()
        write_through(place / "rows.json", json.dumps(aside, default=str, indent=1).encode())


def _lay_aside(session: Session, row: Base, aside: dict[str, list[dict[str, Any]]]) -> None:
    values = {c.key: getattr(row, c.key) for c in inspect(type(row)).column_attrs}
    aside.setdefault(row.__tablename__, []).append(values)
    session.delete(row)


def _put_strays_aside(app: AppContext) -> None:
    with app.sessions() as session:
        known = discarding.held_sounds(session)
    strays = [
        path
        for path in app.folder.takes.iterdir()
        if path.suffix != ".new" and path.stem not in known
    ]
    with app.sessions() as session:
        recorded = set(
            session.connection().exec_driver_sql("SELECT file_name FROM recording").scalars()
        )
    strays += [path for path in app.folder.recordings.iterdir() if path.name not in recorded]
    if strays:
        app.folder.put_aside(*strays)


def _close(app: AppContext) -> None:
    if app.copier is not None:
        app.copier.stop()
    app.sessions.close()
