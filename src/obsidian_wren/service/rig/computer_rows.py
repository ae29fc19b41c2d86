"""The computer’s sound devices as they are kept: recognised when they return, under names of the
person’s own."""

from __future__ import annotations

from dataclasses import asdict, replace

from sqlalchemy import select
from sqlalchemy.orm import Session

from obsidian_wren.core.derive.sound_device import SoundDevice, device_key
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.store.models import ComputerRow, DestinationRow, KnownDevice, Rig

# What is shown for a rig whose device nobody knows.
RAW_NAME = "Line 3 (USB Audio 2.0)"


def computer_row(ws: Workshop, session: Session) -> ComputerRow:
    """The computer's settings; a computer that nobody set up at the first start."""
    row = session.get(ComputerRow, 1)
    if row is None:
        row = ComputerRow(id=1, body=ws.world.first_settings())
        session.add(row)
        session.flush()
    return row


def devices_of(ws: Workshop, session: Session) -> tuple[SoundDevice, ...]:
    """The devices, each with the person's own name where there is one."""
    known = {row.key: row.own_name for row in session.scalars(select(KnownDevice))}
    return tuple(
        replace(device, own_name=known.get(device_key(device)))
        for device in ws.world.computer.devices(computer_row(ws, session).body)
    )


def remember_devices(ws: Workshop, session: Session) -> str | None:
    """Know every device that is there; returns the key of the interface's first input, which a
    new rig is taken to be."""
    chosen = None
    for device in ws.world.computer.devices(computer_row(ws, session).body):
        key = device_key(device)
        row = session.get(KnownDevice, key)
        if row is None:
            session.add(KnownDevice(key=key, own_name=None, body=body_of(device)))
        elif device.present:
            _follow_name(session, row, device)
        if (
            chosen is None
            and device.present
            and device.direction == "input"
            and device.kind == "interface"
            and device.line == 1
        ):
            chosen = key
    session.flush()
    return chosen


def body_of(device: SoundDevice) -> dict[str, object]:
    """What is kept of a device, to know it again."""
    return {
        name: value
        for name, value in asdict(device).items()
        if name in ("id", "system_name", "direction", "kind", "serial", "line")
    }


def _follow_name(session: Session, row: KnownDevice, device: SoundDevice) -> None:
    """A device that came back under another name is the same device: listeners that picked it go
    on with it."""
    old = str(row.body.get("system_name"))
    if old != device.system_name:
        for destination in session.scalars(
            select(DestinationRow).where(DestinationRow.picks == old)
        ):
            destination.picks = device.system_name
    row.body = body_of(device)


def raw_name(session: Session, rig: Rig) -> str:
    """The name under which the system shows the rig's interface now."""
    device = session.get(KnownDevice, rig.device_key) if rig.device_key else None
    return RAW_NAME if device is None else str(device.body["system_name"])
