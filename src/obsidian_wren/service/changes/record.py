"""What an undoable change is: what a person decided, before and after, under a title."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache
from typing import Any

from sqlalchemy import Select, delete, inspect, select
from sqlalchemy.orm import Session

from obsidian_wren.core.wording import _
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.context.clock import now
from obsidian_wren.store.models import (
    ActiveRig,
    Base,
    ChangeRow,
    Clip,
    ComputerRow,
    Confirmed,
    ControlBinding,
    DestinationRow,
    InterfaceRow,
    KnownDevice,
    LiveWish,
    MicrophoneRow,
    Recording,
    Response,
    Rig,
    RoomRow,
    Series,
    SettingRow,
    Situation,
    SourceRow,
    StageRow,
    Take,
    TaperRow,
    TargetRow,
    Version,
)

# Parents before children, so that rows can be put back in this order.
DECIDED: tuple[type[Base], ...] = (
    Response,
    TargetRow,
    MicrophoneRow,
    InterfaceRow,
    RoomRow,
    Rig,
    ActiveRig,
    Situation,
    TaperRow,
    ComputerRow,
    KnownDevice,
    Confirmed,
    DestinationRow,
    SourceRow,
    Clip,
    ControlBinding,
)
# What takes tell of a room is measured, not decided; what a situation gave is derived.
_MEASURED = {"room": {"noise_dba"}, "clip": {"fault"}, "situation": {"sha256", "basis", "mixes"}}
_KEPT_CHANGES = 200
# What of the preferences the tone is fitted to.
TONE_PREFERENCES = ("taste", "target", "shape_percent")
State = dict[str, Any]
_ALSO = _("also changed")


@cache
def _columns(model: type[Base]) -> tuple[list[str], Select[Any]]:
    """What a person decided of a table, by its attributes, and the query for it, the primary key
    first. Rows need not become objects for it."""
    left_out = _MEASURED.get(model.__tablename__, ())
    kept = [c for c in inspect(model).column_attrs if c.key not in left_out]
    identity = inspect(model).primary_key
    return [c.key for c in kept], select(*identity, *(c.columns[0] for c in kept))


def _rows(session: Session, model: type[Base]) -> Iterator[tuple[str, dict[str, Any]]]:
    names, query = _columns(model)
    own = len(inspect(model).primary_key)
    for row in session.execute(query):
        key = "/".join(str(part) for part in row[:own])
        yield f"{model.__tablename__}/{key}", dict(zip(names, row[own:], strict=True))


def state_of(session: Session) -> State:
    """Everything that a person decided, by keys."""
    session.flush()
    found: State = {}
    for model in DECIDED:
        found.update(_rows(session, model))
    for setting in session.scalars(select(SettingRow).where(SettingRow.pinned.is_(True))):
        found[f"pin/{setting.rig_id}/{setting.stage}/{setting.name}"] = setting.value
    for stage in session.scalars(select(StageRow).where(StageRow.pinned.is_(True))):
        found[f"switch/{stage.rig_id}/{stage.kind}"] = stage.runs
    for take in session.scalars(select(Take).where(Take.discarded.is_(True))):
        found[f"discarded/{take.id}"] = True
    for recording in session.scalars(select(Recording).where(Recording.frames > 0)):
        found[f"recording/{recording.id}"] = [recording.title, recording.discarded]
    for version in session.scalars(select(Version)):
        found[f"version/{version.id}"] = [version.name, version.note, version.discarded]
    for series in session.scalars(select(Series).where(Series.ended.is_(True))):
        found[f"series/{series.id}"] = [series.discarded]
    wish = session.get(LiveWish, 1)
    if wish is not None:
        found["case"] = wish.case
    return found


def _difference(before: State, after: State) -> dict[str, list[Any]]:
    keys = [*before, *(key for key in after if key not in before)]
    return {
        key: [before.get(key), after.get(key)] for key in keys if before.get(key) != after.get(key)
    }


@contextmanager
def change(app: AppContext, title: str) -> Iterator[Session]:
    """A transaction that a person can undo, under a title that says what it was.

    Nothing is kept when nothing changed.
    """
    with app.lock, app.sessions.begin() as session:
        before = state_of(session)
        yield session
        body = _difference(before, state_of(session)) | session.info.pop(_ALSO, {})
        if not body:
            return
        session.execute(delete(ChangeRow).where(ChangeRow.undone.is_(True)))
        session.add(ChangeRow(at=now(), title=title[:160], undone=False, body=body))
        session.flush()
        old = session.scalars(
            select(ChangeRow.id).order_by(ChangeRow.id.desc()).offset(_KEPT_CHANGES)
        ).all()
        if old:
            session.execute(delete(ChangeRow).where(ChangeRow.id.in_(old)))


def tell_also(session: Session, key: str, before: Any, after: Any) -> None:
    """Within a change: something that no row of the person's decisions shows has changed too."""
    session.info.setdefault(_ALSO, {})[key] = [before, after]


def next_undo(session: Session) -> ChangeRow | None:
    """The change that undo would take back."""
    return session.scalars(
        select(ChangeRow).where(ChangeRow.undone.is_(False)).order_by(ChangeRow.id.desc())
    ).first()


def next_redo(session: Session) -> ChangeRow | None:
    """The change that redo would make again."""
    return session.scalars(
        select(ChangeRow).where(ChangeRow.undone.is_(True)).order_by(ChangeRow.id)
    ).first()
