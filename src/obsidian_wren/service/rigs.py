"""The rig in hand and the things that rigs are made of: kept, chosen, changed; and every control that can be turned."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from pydantic import BaseModel
from sqlalchemy import select
from sqlalchemy.orm import Session

from obsidian_wren.service.computers import computer_row, remember_devices
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.facts import controls_of, rig_device
from obsidian_wren.service.history import change
from obsidian_wren.service.holding import refuse_another_rig, refuse_during_take
from obsidian_wren.service.ports import Knob, Placement, TakeSource
from obsidian_wren.service.views import Control, InterfaceFields, KeptKind, MicrophoneFields, RigFields, RoomFields
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.store.models import Derivation, Desk, Interface, Microphone, Response, Rig, Room, Setting, Settled, StageRow, Take, Taper

_KINDS: dict[str, type[Microphone] | type[Interface] | type[Room]] = {"microphone": Microphone, "interface": Interface, "room": Room}
_RANGES: dict[str, tuple[float, float]] = {"preamp": (-40.0, 90.0), "pad": (0.0, 1.0), "trim": (-60.0, 24.0), "slider": (0.0, 100.0), "program": (-60.0, 24.0)}  # fmt: skip
# What of a rig is no fact that a take is made at.
_NO_FACTS = ("name", "aim_low_dbfs", "aim_high_dbfs")
_TITLES = {"preamp": "the preamp", "pad": "the pad", "trim": "the device’s output", "slider": "the input slider", "program": "the program’s trim"}  # fmt: skip


def the_rig(ws: Workshop, session: Session) -> Rig:
    """The rig in hand; a blank one is made at the first start."""
    desk = session.get(Desk, 1)
    if desk is not None:
        found = session.get(Rig, desk.rig_id)
        if found is not None:
            return found
    rig = session.scalars(select(Rig).order_by(Rig.id)).first()
    if rig is None:
        rig = _blank(ws, session)
    session.merge(Desk(id=1, rig_id=rig.id))
    session.flush()
    return rig


def _blank(ws: Workshop, session: Session) -> Rig:
    microphone = Microphone(name="My microphone", kind="condenser", pattern="cardioid")
    interface = Interface(**InterfaceFields(name="My interface").model_dump())
    room = Room(name="My room")
    session.add_all([microphone, interface, room])
    session.flush()
    computer_row(ws, session)
    rig = Rig(
        name="My rig", microphone=microphone, interface=interface, room=room, distance_cm=20.0, angle_deg=0.0, height_cm=0.0,
        pop_screen=False, foam=False, shock_mount=False, support="desk stand", rate_hz=48_000, bits=24, source="browser",
        spec_json=ws.world.default_spec, device_key=None, gain_db=0.0, dial=None, pad_on=False, trim_db=0.0, program_db=0.0,
        phantom_on=None, aim_low_dbfs=-15.0, aim_high_dbfs=-10.0, things_off=[], wishes={}, stage_order=[],
    )  # fmt: skip
    session.add(rig)
    session.flush()
    rig.device_key = remember_devices(ws, session)
    session.flush()
    return rig


def knob_of(ws: Workshop, rig: Rig) -> Knob:
    """The simulated preamp as the person left it."""
    knob = ws.world.knob_of(rig.spec_json)
    return knob if rig.gain_db is None else replace(knob, gain_db=rig.gain_db)


def simulated_source(ws: Workshop, session: Session, rig: Rig) -> TakeSource:
    """The simulated rig, its controls where the person left them."""
    source = ws.sources.get(rig.spec_json)
    if source is None:
        if len(ws.sources) > 4:
            ws.sources.clear()
        source = ws.sources[rig.spec_json] = ws.world.open_source(rig.spec_json)
    source.set(controls_of(ws, session, rig))
    return source


def _follow(ws: Workshop, session: Session, rig: Rig) -> None:
    """What runs of the simulated rig follows its controls at once."""
    if rig.source == "simulated" and rig.spec_json in ws.sources:
        simulated_source(ws, session, rig)


def change_rig(ws: Workshop, fields: RigFields) -> None:
    """Keep what a person says about the rig. What was measured before stays, marked stale where the change reaches it."""
    if fields.aim_low_dbfs >= fields.aim_high_dbfs:
        raise Refused("aim", "The aim needs its lower end under its upper end. Mend it and try again.")
    with ws.sessions.begin() as session:
        the_rig(ws, session)
    with change(ws, _title(ws, fields)) as session:
        rig = the_rig(ws, session)
        if any(getattr(rig, name) != value for name, value in fields.model_dump().items() if name not in _NO_FACTS):
            refuse_during_take(ws)
        for kind, model in _KINDS.items():
            if session.get(model, getattr(fields, f"{kind}_id")) is None:
                raise Refused("no-thing", f"This {kind} is no longer kept. Choose another.")
        if fields.source != rig.source:
            # Another knob: the simulated one stands where its world says, a real one is counted from where it stands now.
            rig.gain_db = None if fields.source == "simulated" else 0.0
        for name, value in fields.model_dump().items():
            setattr(rig, name, value)
        session.flush()
        session.refresh(rig)
        _settle_controls(ws, session, rig)
    _rederive_plan(ws)
    ws.changed()


def _settle_controls(ws: Workshop, session: Session, rig: Rig) -> None:
    """Bring the knob, and the simulated world, in line with what the rig is made of."""
    if rig.interface.knob == "dial" and rig.dial is None:
        rig.dial = (rig.interface.dial_low + rig.interface.dial_high) / 2.0
    if rig.interface.pad_db is None:
        rig.pad_on = False
    if rig.source == "simulated":
        # The person says where the microphone stands; in the simulated world it then stands there.
        rig.spec_json = ws.world.placed(rig.spec_json, Placement(rig.distance_cm, rig.angle_deg, rig.microphone.pattern))
        if rig.gain_db is None:
            rig.gain_db = ws.world.knob_of(rig.spec_json).gain_db
        rig.rate_hz = simulated_source(ws, session, rig).rate_hz


def _title(ws: Workshop, fields: RigFields) -> str:
    """What changed, in a few words."""
    with ws.sessions() as session:
        rig = the_rig(ws, session)
        names = {
            "distance_cm": "distance", "angle_deg": "angle", "height_cm": "height", "source": "where sound comes from", "rate_hz": "sample rate",
            "microphone_id": "microphone", "interface_id": "interface", "room_id": "room", "pop_screen": "pop screen", "shock_mount": "shock mount",
            "phantom_on": "phantom power", "aim_low_dbfs": "aim", "aim_high_dbfs": "aim", "support": "stand", "name": "name of the rig",
        }  # fmt: skip
        changed = [names.get(name, name) for name, value in fields.model_dump().items() if getattr(rig, name) != value]
    return f"Rig: {', '.join(dict.fromkeys(changed))}" if changed else "Rig"


def _rederive_plan(ws: Workshop) -> None:
    """The aim and the microphone's data reach the gain plan without a new take."""
    with ws.sessions.begin() as session:
        rig = the_rig(ws, session)
        if session.get(Derivation, (rig.id, "gain")) is not None:
            from obsidian_wren.service.deriving import derive_levels

            derive_levels(ws, session, rig)


def turn(ws: Workshop, control: Control, position: float) -> float:
    """Turn a control to a position. Simulated ones really turn; for real ones it is the person's word. Returns where it stands."""
    with ws.sessions() as session:
        rig = the_rig(ws, session)
    low, high = _RANGES[control]
    if control == "preamp" and rig.interface.knob == "dial":
        low, high = rig.interface.dial_low, rig.interface.dial_high
    if not low <= position <= high:
        raise Refused("range", f"{_TITLES[control].capitalize()} goes from {low:g} to {high:g}. Choose a position in between.")
    refuse_during_take(ws)
    with change(ws, f"Turned {_TITLES[control]}") as session:
        rig = the_rig(ws, session)
        if control == "slider":
            from obsidian_wren.core.derive.audit import Change

            device = rig_device(ws, session, rig)
            if device is None:
                raise Refused("no-device", "The interface is not plugged in, so its slider cannot be set. Plug it in first.")
            row = computer_row(ws, session)
            row.body = ws.world.computer.change(row.body, Change(device.id, "slider_percent", position))
        elif control == "preamp" and rig.interface.knob == "dial":
            rig.dial = position
        elif control == "preamp":
            if rig.source == "simulated":
                position = simulated_source(ws, session, rig).turn(position).gain_db
            rig.gain_db = position
        elif control == "pad":
            if rig.interface.pad_db is None:
                raise Refused("no-pad", "This interface has no pad. Say so in Rig if it has one.")
            rig.pad_on = bool(position)
        elif control == "trim":
            rig.trim_db = position
        else:
            rig.program_db = position
        session.flush()
        _follow(ws, session, rig)
    ws.changed()
    return position


def turn_knob(ws: Workshop, gain_db: float) -> float:
    """Turn the preamp."""
    return turn(ws, "preamp", gain_db)


def switch_thing(ws: Workshop, name: str, on: bool) -> None:
    """Switch something in the simulated room on or off, and let what listens hear it at once."""
    with change(ws, f"Switched {name} {'on' if on else 'off'}") as session:
        rig = the_rig(ws, session)
        if name not in ws.world.things_of(rig.spec_json):
            raise Refused("no-such-thing", f"There is no “{name}” in the simulated room.")
        rig.things_off = sorted((set(rig.things_off) - {name}) | (set() if on else {name}))
        session.flush()
        _follow(ws, session, rig)
    ws.changed()


def keep_thing(ws: Workshop, kind: KeptKind, fields: MicrophoneFields | InterfaceFields | RoomFields, thing_id: int | None) -> int:
    """Keep a new microphone, interface or room, and put it into the rig in hand; or change one that is kept. Returns its id."""
    model = _KINDS[kind]
    verb = "Added" if thing_id is None else "Changed"
    refuse_during_take(ws)
    with change(ws, f"{verb} {fields.name}") as session:
        rig = the_rig(ws, session)
        _require_own_name(session, model, fields.name, thing_id)
        if thing_id is None:
            thing: Any = model(**fields.model_dump())
            session.add(thing)
            session.flush()
            setattr(rig, f"{kind}_id", thing.id)
        else:
            thing = session.get(model, thing_id)
            if thing is None:
                raise Refused("no-thing", f"This {kind} is no longer kept. Choose another.")
            if thing.name != fields.name:
                _rename_in_takes(session, kind, thing.name, fields.name)
            for name, value in fields.model_dump().items():
                setattr(thing, name, value)
        if isinstance(fields, InterfaceFields) and fields.dial_low >= fields.dial_high:
            raise Refused("dial", "A dial needs its lowest number under its highest. Mend it and try again.")
        session.flush()
        session.refresh(rig)
        _settle_controls(ws, session, rig)
        found: int = thing.id
    _rederive_plan(ws)
    ws.changed()
    return found


def _require_own_name(session: Session, model: Any, name: str, own_id: int | None) -> None:
    other = session.scalars(select(model).where(model.name == name)).first()
    if other is not None and other.id != own_id:
        raise Refused("name-taken", f"“{name}” is kept already. Choose another name, or choose it from the list.")


def _rename_in_takes(session: Session, fact: str, old: str, new: str) -> None:
    """A new name for the same thing leaves nothing stale."""
    for take in session.scalars(select(Take)):
        if take.facts.get(fact) == old:
            take.facts = {**take.facts, fact: new}
    for derivation in session.scalars(select(Derivation)):
        derivation.used = {k: new if k.endswith(f".{fact}") and v == old else v for k, v in derivation.used.items()}


def remove_thing(ws: Workshop, kind: KeptKind, thing_id: int) -> None:
    """Forget a microphone, interface or room that no rig is made of."""
    with ws.sessions() as session:
        name = str(_unused(session, kind, thing_id).name)
    with change(ws, f"Removed {name}") as session:
        thing = _unused(session, kind, thing_id)
        if kind == "interface":
            for taper in session.scalars(select(Taper).where(Taper.interface_id == thing_id)):
                session.delete(taper)
            session.flush()
        session.delete(thing)
    ws.changed()


def _unused(session: Session, kind: KeptKind, thing_id: int) -> Any:
    model: Any = _KINDS[kind]
    thing = session.get(model, thing_id)
    if thing is None:
        raise Refused("no-thing", f"This {kind} is no longer kept.")
    used = session.scalars(select(Rig.name).where(getattr(Rig, f"{kind}_id") == thing_id)).first()
    if used is not None:
        raise Refused("in-use", f"“{thing.name}” is part of the rig “{used}”. Choose another there first.")
    return thing


def add_rig(ws: Workshop, name: str) -> int:
    """Keep a further rig, a copy of the one in hand without its takes, and take it in hand. Returns its id."""
    with change(ws, f"Added the rig {name}") as session:
        refuse_another_rig(ws)
        _require_own_name(session, Rig, name, None)
        rig = the_rig(ws, session)
        columns = {c.key: getattr(rig, c.key) for c in Rig.__table__.columns if c.key != "id"}
        new = Rig(**{**columns, "name": name})
        session.add(new)
        session.flush()
        session.merge(Desk(id=1, rig_id=new.id))
        found = new.id
    ws.changed()
    return found


def use_rig(ws: Workshop, rig_id: int) -> None:
    """Take another rig in hand."""
    with ws.sessions() as session:
        rig = session.get(Rig, rig_id)
        if rig is None:
            raise Refused("no-rig", "This rig is no longer kept.")
        name = rig.name
    with change(ws, f"Took {name} in hand") as session:
        refuse_another_rig(ws)
        if session.get(Rig, rig_id) is None:
            raise Refused("no-rig", "This rig is no longer kept.")
        session.merge(Desk(id=1, rig_id=rig_id))
    ws.changed()


def remove_rig(ws: Workshop, rig_id: int) -> None:
    """Forget a rig that is not in hand and has no takes."""
    with ws.sessions() as session:
        name = _removable(ws, session, rig_id).name
    with change(ws, f"Removed the rig {name}") as session:
        # Looked at again: another page may have been faster.
        rig = _removable(ws, session, rig_id)
        for model in (Setting, StageRow, Derivation, Settled):
            for row in session.scalars(select(model).where(model.rig_id == rig_id)):
                session.delete(row)
        session.flush()
        session.delete(rig)
    ws.changed()


def _removable(ws: Workshop, session: Session, rig_id: int) -> Rig:
    rig = session.get(Rig, rig_id)
    if rig is None:
        raise Refused("no-rig", "This rig is no longer kept.")
    if the_rig(ws, session).id == rig_id:
        raise Refused("in-hand", "This rig is in hand. Take another one in hand first.")
    if session.scalars(select(Take.id).where(Take.rig_id == rig_id)).first() is not None:
        raise Refused("takes-on-it", f"“{rig.name}” has takes, so it stays: they would be lost.")
    if ws.take is not None and ws.take.part.info.rig_id == rig_id:
        raise Refused("take-runs", "A take is running on this rig. Stop it first.")
    return rig


def attach_response(ws: Workshop, name: str, rows: list[list[float]]) -> None:
    """Keep a response file with the rig's microphone. Tone is stale until it is fitted again."""
    with change(ws, f"Response file {name}") as session:
        rig = the_rig(ws, session)
        row = Response(name=name[:120], rows=rows)
        session.add(row)
        session.flush()
        rig.microphone.response_id = row.id
    ws.changed()


def detach_response(ws: Workshop) -> None:
    """Use the microphone without a response file again."""
    with change(ws, "Took the response file away") as session:
        the_rig(ws, session).microphone.response_id = None
    ws.changed()


def fields_of(row: Any, shape: type[BaseModel]) -> dict[str, Any]:
    """A row's values under the names of a view."""
    return {name: getattr(row, name) for name in shape.model_fields}
