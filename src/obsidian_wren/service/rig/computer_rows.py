"""The computer’s sound devices as they are kept: recognised when they return, under names of the
person’s own."""

from __future__ import annotations

from dataclasses import asdict, replace

from sqlalchemy import select
from sqlalchemy.orm import Session

from obsidian_wren.core.derive.audit import Change
from obsidian_wren.core.derive.sound_device import SoundDevice, device_key
from obsidian_wren.core.wording import _
from obsidian_wren.ports.world import SourceGone
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.store.models import ComputerRow, DestinationRow, KnownDevice, Rig

# What is shown for a rig whose device nobody knows.
RAW_NAME = "Line 3 (USB Audio 2.0)"
UNKNOWN = _("your microphone")


def computer_row(app: AppContext, session: Session) -> ComputerRow:
    """The computer's settings; a computer that nobody set up at the first start."""
    row = session.get(ComputerRow, 1)
    if row is None:
        row = ComputerRow(id=1, body=app.world.first_settings())
        session.add(row)
        session.flush()
    return row


def devices_of(app: AppContext, session: Session) -> tuple[SoundDevice, ...]:
    """The devices, each with the person's own name where there is one."""
    known = {row.key: row.own_name for row in session.scalars(select(KnownDevice))}
    return tuple(
        replace(device, own_name=known.get(device_key(device)))
        for device in app.world.computer.devices(computer_row(app, session).body)
    )


def remember_devices(app: AppContext, session: Session) -> str | None:
    """Know every device that is there; returns the key of the input which a new rig is taken to be:
    the first line of an interface, else the default one."""
    devices = app.world.computer.devices(computer_row(app, session).body)
    for device in devices:
        key = device_key(device)
        row = session.get(KnownDevice, key)
        if row is None:
            session.add(KnownDevice(key=key, own_name=None, body=body_of(device)))
        elif device.present:
            _follow_name(session, row, device)
    session.flush()
    inputs = [
        device
        for device in devices
        if device.present and device.direction == "input" and device.kind != "feed"
    ]
    likely = [
        *(each for each in inputs if each.kind == "interface" and each.line == 1),
        *sorted(inputs, key=lambda each: not each.is_default),
    ]
    return device_key(likely[0]) if likely else None


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
    if device is None:
        return RAW_NAME if rig.source == "simulated" else UNKNOWN
    return str(device.body["system_name"])


def set_device(app: AppContext, session: Session, change: Change) -> None:
    """Set one thing of a device of the computer. Raises Refused where it would not be set."""
    row = computer_row(app, session)
    try:
        row.body = app.world.computer.change(row.body, change)
    except SourceGone as error:
        raise Refused("gone", str(error)) from error
    session.flush()


def note_device(app: AppContext, change: Change) -> None:
    """Keep how the thing stands that is about to change, so that undo knows it."""
    with app.sessions.begin() as session:
        row = computer_row(app, session)
        row.body = app.world.computer.noted(row.body, change)
