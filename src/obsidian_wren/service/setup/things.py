"""The microphones, interfaces and rooms that rigs are made of, and the rigs themselves."""

from __future__ import annotations

from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from obsidian_wren.core.wording import _
from obsidian_wren.service import takes
from obsidian_wren.service.calibration.kept_words import word_anew
from obsidian_wren.service.changes.record import change
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live.holding import refuse_another_rig, refuse_during_take
from obsidian_wren.service.rig.fields import InterfaceFields, MicrophoneFields, RoomFields
from obsidian_wren.service.rig.rigs import in_hand, the_rig
from obsidian_wren.service.setup.following import align_controls, rederive_plan
from obsidian_wren.service.words import KeptKind
from obsidian_wren.store.models import (
    ActiveRig,
    Confirmed,
    Derivation,
    InterfaceRow,
    MicrophoneRow,
    OrdinaryDay,
    Rig,
    RoomRow,
    SettingRow,
    Situation,
    StageRow,
    Take,
    TaperRow,
)

THINGS: dict[str, type[MicrophoneRow] | type[InterfaceRow] | type[RoomRow]] = {
    "microphone": MicrophoneRow,
    "interface": InterfaceRow,
    "room": RoomRow,
}


def keep_thing(
    app: AppContext,
    kind: KeptKind,
    fields: MicrophoneFields | InterfaceFields | RoomFields,
    thing_id: int | None,
) -> int:
    """Keep a new microphone, interface or room, and put it into the rig in hand; or change one
    that is kept. Returns its id."""
    model = THINGS[kind]
    verb = _("Added") if thing_id is None else _("Changed")
    refuse_during_take(app)
    with change(app, f"{verb} {fields.name}") as session:
        ctx = in_hand(app, session)
        rig = ctx.rig
        _require_own_name(session, model, fields.name, thing_id)
        if thing_id is None:
            thing: Any = model(**fields.model_dump())
            session.add(thing)
            session.flush()
            setattr(rig, f"{kind}_id", thing.id)
        else:
            thing = session.get(model, thing_id)
            if thing is None:
                raise Refused(
                    "no-thing", _("This {kind} is no longer stored. Choose another.", kind=kind)
                )
            if thing.name != fields.name:
                _rename_in_takes(session, kind, thing.name, fields.name)
            for name, value in fields.model_dump().items():
                setattr(thing, name, value)
        if isinstance(fields, InterfaceFields) and fields.dial_low >= fields.dial_high:
            raise Refused(
                "dial",
                _("The lowest number of a dial has to be under its highest. Fix it and try again."),
            )
        session.flush()
        session.refresh(rig)
        align_controls(ctx)
        found: int = thing.id
    rederive_plan(app)
    app.changed()
    return found


def _require_own_name(session: Session, model: Any, name: str, own_id: int | None) -> None:
    other = session.scalars(select(model).where(model.name == name)).first()
    if other is not None and other.id != own_id:
        raise Refused(
            "name-taken",
            _(
                "“{name}” exists already. Choose another name, or choose it from the list.",
                name=name,
            ),
        )


def _rename_in_takes(session: Session, fact: str, old: str, new: str) -> None:
    """A new name for the same thing leaves nothing stale."""
    for take in session.scalars(select(Take)):
        if take.facts.get(fact) == old:
            take.facts = {**take.facts, fact: new}
    for derivation in session.scalars(select(Derivation)):
        derivation.used = {
            k: new if k.endswith(f".{fact}") and v == old else v for k, v in derivation.used.items()
        }


def remove_thing(app: AppContext, kind: KeptKind, thing_id: int) -> None:
    """Forget a microphone, interface or room that no rig is made of."""
    with app.sessions() as session:
        name = str(_unused(session, kind, thing_id).name)
    with change(app, _("Removed {name}", name=name)) as session:
        thing = _unused(session, kind, thing_id)
        if kind == "interface":
            for taper in session.scalars(select(TaperRow).where(TaperRow.interface_id == thing_id)):
                session.delete(taper)
            session.flush()
        session.delete(thing)
    app.changed()


def _unused(session: Session, kind: KeptKind, thing_id: int) -> Any:
    model: Any = THINGS[kind]
    thing = session.get(model, thing_id)
    if thing is None:
        raise Refused("no-thing", _("This {kind} is no longer stored.", kind=kind))
    used = session.scalars(select(Rig.name).where(getattr(Rig, f"{kind}_id") == thing_id)).first()
    if used is not None:
        raise Refused(
            "in-use",
            _(
                "“{name}” is part of the rig “{used}”. Choose another there first.",
                name=thing.name,
                used=used,
            ),
        )
    return thing


def add_rig(app: AppContext, name: str) -> int:
    """Keep a further rig, a copy of the one in hand without its takes, and take it in hand.

    Returns its id.
    """
    with change(app, _("Added the rig {name}", name=name)) as session:
        refuse_another_rig(app)
        _require_own_name(session, Rig, name, None)
        rig = the_rig(app, session)
        columns = {c.key: getattr(rig, c.key) for c in Rig.__table__.columns if c.key != "id"}
        new = Rig(**{**columns, "name": name})
        session.add(new)
        session.flush()
        session.merge(ActiveRig(id=1, rig_id=new.id))
        found = new.id
    app.changed()
    return found


def use_rig(app: AppContext, rig_id: int) -> None:
    """Take another rig in hand."""
    with app.sessions() as session:
        rig = session.get(Rig, rig_id)
        if rig is None:
            raise Refused("no-rig", _("This rig is no longer stored."))
        name = rig.name
    with change(app, _("Switched to {name}", name=name)) as session:
        refuse_another_rig(app)
        if session.get(Rig, rig_id) is None:
            raise Refused("no-rig", _("This rig is no longer stored."))
        session.merge(ActiveRig(id=1, rig_id=rig_id))
    word_anew(app)
    app.changed()


def remove_rig(app: AppContext, rig_id: int) -> None:
    """Forget a rig that is not in hand and has no takes."""
    with app.sessions() as session:
        name = _removable(app, session, rig_id).name
    with change(app, _("Removed the rig {name}", name=name)) as session:
        # Looked at again: another page may have been faster.
        rig = _removable(app, session, rig_id)
        for model in (SettingRow, StageRow, Derivation, Confirmed, Situation, OrdinaryDay):
            for row in session.scalars(select(model).where(model.rig_id == rig_id)):
                session.delete(row)
        session.flush()
        session.delete(rig)
    app.changed()


def _removable(app: AppContext, session: Session, rig_id: int) -> Rig:
    rig = session.get(Rig, rig_id)
    if rig is None:
        raise Refused("no-rig", _("This rig is no longer stored."))
    if the_rig(app, session).id == rig_id:
        raise Refused("in-hand", _("This rig is in use. Switch to another one first."))
    if session.scalars(select(Take.id).where(Take.rig_id == rig_id)).first() is not None:
        raise Refused(
            "takes-on-it",
            _("“{name}” has takes that would be lost, so it cannot be removed.", name=rig.name),
        )
    running = takes.current(app).running
    if running is not None and running.part.info.rig_id == rig_id:
        raise Refused("take-runs", _("A take is running on this rig. Stop it first."))
    return rig
