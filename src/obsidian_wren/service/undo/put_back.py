"""Undo and redo: every kind of row that a person decides on is put back, and what runs follows."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from sqlalchemy import inspect, select
from sqlalchemy.orm import Session

from obsidian_wren.core.chain.kinds import KINDS
from obsidian_wren.core.wording import _
from obsidian_wren.service import live
from obsidian_wren.service.calibration.catching_up import follow_change, wait_derived
from obsidian_wren.service.carry.versions import BROUGHT, put_back
from obsidian_wren.service.changes.record import DECIDED, TONE_PREFERENCES, next_redo, next_undo
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live.holding import refuse_another_rig, refuse_during_take
from obsidian_wren.service.live.preparing import prepare_scene, take_over
from obsidian_wren.service.mixes import mixing
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.setup.computer_changes import tell_outside
from obsidian_wren.store.models import (
    Base,
    ChangeRow,
    LiveWish,
    Recording,
    Rig,
    Series,
    SettingRow,
    StageRow,
    Take,
    Version,
)

# What of a rig reaches the chain without a new take.
_PREFERENCES = ("preferences", "stage_order")


def undo(app: AppContext) -> bool:
    """Take the newest change back. Gives whether it was one of the chain alone."""
    _let_catch_up(app, next_undo)
    with app.lock, app.sessions.begin() as session:
        found = next_undo(session)
        if found is None:
            raise Refused("nothing-to-undo", _("There is nothing to undo."))
        _refuse_while_held(app, found)
        put(app, session, {key: (after, before) for key, (before, after) in found.body.items()})
        found.undone = True
        prepared = _prepared(app, session)
    _set_computer(app, found.body, back=True)
    _follow(app, prepared)
    return _of_chain(found)


def redo(app: AppContext) -> bool:
    """Make the change again that was undone last. Gives whether it was one of the chain alone."""
    _let_catch_up(app, next_redo)
    with app.lock, app.sessions.begin() as session:
        found = next_redo(session)
        if found is None:
            raise Refused("nothing-to-redo", _("There is nothing to redo."))
        _refuse_while_held(app, found)
        put(app, session, {key: (before, after) for key, (before, after) in found.body.items()})
        found.undone = False
        prepared = _prepared(app, session)
    _set_computer(app, found.body, back=False)
    _follow(app, prepared)
    return _of_chain(found)


def _of_chain(found: ChangeRow) -> bool:
    return all(key.startswith(("pin/", "switch/")) for key in found.body)


def _let_catch_up(app: AppContext, which: Callable[[Session], ChangeRow | None]) -> None:
    """A version that comes back or goes away brings all its numbers: what was being worked out
    must not come over them."""
    with app.sessions() as session:
        found = which(session)
        waits = found is not None and any(map(_is, found.body))
    if waits:
        wait_derived(app)


# What a take is made at, and what it is taken on.
_FACTS = ("rig", "desk", "microphone", "interface", "room", "computer", "taper")


def _refuse_while_held(app: AppContext, found: ChangeRow) -> None:
    """A take and a run go on with the rig that they were begun on."""
    tables = {key.partition("/")[0] for key in found.body}
    if tables & set(_FACTS):
        refuse_during_take(app)
    if "desk" in tables:
        refuse_another_rig(app)


def _prepared(app: AppContext, session: Session) -> Any:
    """What is live as it has to run after what was put back; refused, with what was put back,
    where it could not."""
    return None if live.current(app).run is None else prepare_scene(app, session)


def _set_computer(app: AppContext, body: dict[str, Any], *, back: bool) -> None:
    """The computer's own settings follow what was put back of them."""
    before, after = body.get("computer/1", (None, None))
    if before is not None and after is not None:
        first, then = (after, before) if back else (before, after)
        app.world.computer.follow(first["body"], then["body"])


def _follow(app: AppContext, prepared: Any) -> None:
    """What runs follows what was put back: the simulated rig's controls, what listeners pick,
    the mixes, who takes part."""
    if live.current(app).run is not None:
        take_over(app, prepared)
        mixing.refresh(app)
    tell_outside(app)
    app.changed()


def put(app: AppContext, session: Session, changes: dict[str, tuple[Any, Any]]) -> None:
    """Bring each key from what it is to what it should be."""
    tables = {model.__tablename__: model for model in DECIDED}
    order = [model.__tablename__ for model in DECIDED]

    def place(key: str) -> int:
        table = key.partition("/")[0]
        return order.index(table) if table in order else len(order)

    rigs: set[int] = set()
    refit: set[int] = set()
    brought = {int(key.partition("/")[2]): new for key, (_, new) in changes.items() if _is(key)}
    gone = [
        key for key, (_, target) in changes.items() if target is None and place(key) < len(order)
    ]
    for key in sorted((k for k in changes if k not in gone), key=place):
        table, _, rest = key.partition("/")
        is_, target = changes[key]
        if table in tables:
            session.merge(tables[table](**target))
            session.flush()
            if (
                table == "rig"
                and is_ is not None
                and any(is_.get(name) != target.get(name) for name in _PREFERENCES)
            ):
                rigs.add(int(rest))
                if any(
                    is_["preferences"].get(name) != target["preferences"].get(name)
                    for name in TONE_PREFERENCES
                ):
                    refit.add(int(rest))
        elif table == "pin":
            rigs.add(_put_pin(session, rest, is_, target))
        elif table == "switch":
            rigs.add(_put_switch(session, rest, target))
        elif table == "discarded":
            take = session.get(Take, int(rest))
            if take is not None:
                take.discarded = bool(target)
                rigs.add(take.rig_id)
        else:
            _put_send(session, table, rest, target)
    for key in sorted(gone, key=place, reverse=True):
        table, _, rest = key.partition("/")
        _remove(session, tables[table], rest)
    session.flush()
    session.expire_all()
    _derive(app, session, rigs, refit, brought)


def _derive(
    app: AppContext, session: Session, rigs: set[int], refit: set[int], brought: dict[int, str]
) -> None:
    """What follows from what was put back; of a version that was brought back or away, all of it
    is known."""
    for rig_id in rigs - brought.keys():
        follow_change(RigContext.of(app, session, rig_id), refit=rig_id in refit)
    for rig_id, sha256 in brought.items():
        put_back(RigContext.of(app, session, rig_id), sha256)


def _is(key: str) -> bool:
    return key.startswith(f"{BROUGHT}/")


def _put_send(session: Session, table: str, rest: str, target: Any) -> None:
    """A recording's title and whether it is deleted, a version's likewise, whether a series is, or
    the case that was chosen."""
    recording = session.get(Recording, int(rest)) if table == "recording" else None
    if recording is not None and target is not None:
        recording.title, recording.discarded = target
    series = session.get(Series, int(rest)) if table == "series" else None
    if series is not None:
        series.discarded = target is None or bool(target[0])
    version = session.get(Version, int(rest)) if table == "version" else None
    if version is not None:
        version.name, version.note, version.discarded = target or ["", "", True]
    wish = session.get(LiveWish, 1) if table == "case" else None
    if wish is not None:
        wish.case = target


def _remove(session: Session, model: type[Base], rest: str) -> None:
    """Remove a row, unless something that cannot be undone stands on it, such as takes on a rig."""
    keys = [
        column.type.python_type(part)
        for column, part in zip(inspect(model).primary_key, rest.split("/", 1), strict=False)
    ]
    row = session.get(model, keys[0] if len(keys) == 1 else tuple(keys))
    if row is None:
        return
    if (
        isinstance(row, Rig)
        and session.scalars(select(Take.id).where(Take.rig_id == row.id)).first() is not None
    ):
        raise Refused(
            "takes-on-it",
            _(
                "“{name}” has takes by now, so it stays. Remove it by hand if you want to.",
                name=row.name,
            ),
        )
    session.delete(row)
    session.flush()


def _put_switch(session: Session, rest: str, target: bool | None) -> int:
    """Hold a stage on or off again, or let what was derived stand."""
    rig_id, kind = rest.split("/")
    row = session.get(StageRow, (int(rig_id), kind))
    if row is not None:
        row.pinned = target is not None
        row.runs = row.derived if target is None else target
    session.flush()
    return int(rig_id)


def _put_pin(session: Session, rest: str, is_: Any, target: Any) -> int:
    """Pin a setting again, or let it go.

    A band may bear another name since a new fit: it is found by its value then.
    """
    rig_id, stage, name = rest.split("/")
    kind = KINDS.get(stage.partition("-")[0])
    banded = kind is not None and kind.banded
    rows = session.scalars(
        select(SettingRow).where(SettingRow.rig_id == int(rig_id), SettingRow.stage == stage)
    ).all()
    row = next((r for r in rows if r.name == name), None)
    if banded and is_ is not None:
        row = next((r for r in rows if r.pinned and r.value == is_), row)
    if row is None and banded and target is not None:
        row = SettingRow(
            rig_id=int(rig_id),
            stage=stage,
            name=name,
            value=target,
            unit="dB",
            derived=target,
            pinned=True,
            because=_("You set this."),
        )
        session.add(row)
    if row is not None:
        row.pinned = target is not None
        row.value = row.derived if target is None else target
    session.flush()
    return int(rig_id)
