"""The computer's sound settings: seen, audited, mended; devices recognised when they return, under names of the person's own."""

from __future__ import annotations

from dataclasses import asdict
from typing import cast

from sqlalchemy import select
from sqlalchemy.orm import Session

from obsidian_wren.core.derive.audit import Change, SoundDevice, device_key
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.history import change
from obsidian_wren.service.holding import refuse_during_take
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.store.models import Computer, Destination, KnownDevice, Rig


def computer_row(ws: Workshop, session: Session) -> Computer:
    """The computer's settings; a computer that nobody set up at the first start."""
    row = session.get(Computer, 1)
    if row is None:
        row = Computer(id=1, body=ws.world.first_settings())
        session.add(row)
        session.flush()
    return row


def devices_of(ws: Workshop, session: Session) -> tuple[SoundDevice, ...]:
    """The devices, each with the person's own name where there is one."""
    from dataclasses import replace

    known = {row.key: row.own_name for row in session.scalars(select(KnownDevice))}
    return tuple(
        replace(device, own_name=known.get(device_key(device))) for device in ws.world.computer.devices(computer_row(ws, session).body)
    )


def remember_devices(ws: Workshop, session: Session) -> str | None:
    """Know every device that is there; returns the key of the interface's first input, which a new rig is taken to be."""
    chosen = None
    for device in ws.world.computer.devices(computer_row(ws, session).body):
        key = device_key(device)
        row = session.get(KnownDevice, key)
        if row is None:
            session.add(KnownDevice(key=key, own_name=None, body=_body(device)))
        elif device.present:
            _follow_name(session, row, device)
        if chosen is None and device.present and device.direction == "input" and device.kind == "interface" and device.line == 1:
            chosen = key
    session.flush()
    return chosen


def _body(device: SoundDevice) -> dict[str, object]:
    return {name: value for name, value in asdict(device).items() if name in ("id", "system_name", "direction", "kind", "serial", "line")}


def _follow_name(session: Session, row: KnownDevice, device: SoundDevice) -> None:
    """A device that came back under another name is the same device: listeners that picked it go on with it."""
    old = str(row.body.get("system_name"))
    if old != device.system_name:
        for destination in session.scalars(select(Destination).where(Destination.picks == old)):
            destination.picks = device.system_name
    row.body = _body(device)


def change_device(ws: Workshop, device_id: str, field: str, value: float | bool) -> None:
    """Set one thing in the sound settings."""
    refuse_during_take(ws)
    with change(ws, "Sound settings") as session:
        row = computer_row(ws, session)
        device = _device(ws, row, device_id)
        if not device.present:
            raise Refused("gone", f"{device.title} is not plugged in.")
        row.body = ws.world.computer.change(row.body, Change(device_id, cast("Change", field), value))  # type: ignore[arg-type]
        session.flush()
        _let_sources_follow(ws, session)
    ws.changed()


def _device(ws: Workshop, row: Computer, device_id: str) -> SoundDevice:
    for device in ws.world.computer.devices(row.body):
        if device.id == device_id:
            return device
    raise Refused("no-device", "The computer lists no such device any more.")


def _let_sources_follow(ws: Workshop, session: Session) -> None:
    from obsidian_wren.service.rigs import simulated_source, the_rig

    rig = the_rig(ws, session)
    if rig.source == "simulated" and rig.spec_json in ws.sources:
        simulated_source(ws, session, rig)


def unplug(ws: Workshop, device_id: str) -> None:
    """A device goes away (the stand-in lets you pull it)."""
    from obsidian_wren.service.rigs import the_rig

    with change(ws, "Unplugged a device") as session:
        row = computer_row(ws, session)
        device = _device(ws, row, device_id)
        rig = the_rig(ws, session)
        heard = rig.source == "simulated" and device_key(device) == rig.device_key
        row.body = ws.world.computer.unplug(row.body, device_id)
    if heard:
        from obsidian_wren.service.living import lose_source

        lose_source(ws, device.title)
    ws.changed()


def plug_in(ws: Workshop, device_id: str) -> None:
    """It returns under whatever name the system gives it, and is recognised."""
    with change(ws, "Plugged a device in") as session:
        row = computer_row(ws, session)
        _device(ws, row, device_id)
        row.body = ws.world.computer.plug_in(row.body, device_id)
        session.flush()
        remember_devices(ws, session)
        _let_sources_follow(ws, session)
    tell_outside(ws)
    from obsidian_wren.service.living import resume_run

    resume_run(ws)
    ws.changed()


def tell_outside(ws: Workshop) -> None:
    """Let the simulated rig and the listeners follow what is kept."""
    from obsidian_wren.service.scene import programs

    with ws.sessions.begin() as session:
        _let_sources_follow(ws, session)
    with ws.sessions() as session:
        for row in session.scalars(select(Destination)):
            if row.key in ws.programs:
                programs(ws, [row])


def name_device(ws: Workshop, device_id: str, own_name: str | None) -> None:
    """Give a device a name of one's own, or take it away."""
    name = (own_name or "").strip() or None
    with change(ws, f"Named a device {name}" if name else "Took a device’s name away") as session:
        device = _device(ws, computer_row(ws, session), device_id)
        key = device_key(device)
        for row in session.scalars(select(KnownDevice)):
            if name is not None and row.own_name == name and row.key != key and row.body.get("direction") == device.direction:
                raise Refused("name-taken", f"Another {device.direction} is called “{name}” already. Choose another name.")
        row = session.get(KnownDevice, key) or KnownDevice(key=key, body=_body(device))
        row.own_name = name
        session.add(row)
    ws.changed()


def choose_device(ws: Workshop, device_id: str) -> None:
    """Say which input the rig's interface shows up as."""
    refuse_during_take(ws)
    with change(ws, "Chose the rig’s input") as session:
        from obsidian_wren.service.rigs import the_rig

        device = _device(ws, computer_row(ws, session), device_id)
        if device.direction != "input":
            raise Refused("not-an-input", "Only an input can be the rig’s microphone.")
        rig: Rig = the_rig(ws, session)
        rig.device_key = device_key(device)
        session.flush()
        _let_sources_follow(ws, session)
    ws.changed()
