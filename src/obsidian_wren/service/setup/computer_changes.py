"""The computer’s sound settings changed; devices pulled, plugged in, named, chosen."""

from __future__ import annotations

from typing import Any, cast

from sqlalchemy import select

from obsidian_wren.core.derive.audit import Change
from obsidian_wren.core.derive.sound_device import SoundDevice, device_key
from obsidian_wren.core.wording import _
from obsidian_wren.service.changes.record import change
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live.holding import refuse_during_take
from obsidian_wren.service.live.living import lose_source, resume_run
from obsidian_wren.service.live.simulated import let_programs_follow, let_rig_follow
from obsidian_wren.service.rig.computer_rows import (
    body_of,
    computer_row,
    note_device,
    remember_devices,
    set_device,
)
from obsidian_wren.service.rig.rigs import the_rig
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.store.models import ComputerRow, KnownDevice, Rig


def change_device(ws: Workshop, device_id: str, field: str, value: float | bool) -> None:
    """Set one thing in the sound settings."""
    refuse_during_take(ws)
    wanted = Change(device_id, cast(Any, field), value)
    with ws.sessions() as session:
        device = _device(ws, computer_row(ws, session), device_id)
        if not device.present:
            raise Refused("gone", _("{title} is not plugged in.", title=device.title))
    note_device(ws, wanted)
    with change(ws, _("Sound settings")) as session:
        set_device(ws, session, wanted)
        let_rig_follow(ws, session)
    ws.changed()


def _device(ws: Workshop, row: ComputerRow, device_id: str) -> SoundDevice:
    for device in ws.world.computer.devices(row.body):
        if device.id == device_id:
            return device
    raise Refused("no-device", _("The computer lists no such device any more."))


def unplug(ws: Workshop, device_id: str) -> None:
    """A device goes away (the stand-in lets you pull it)."""
    with change(ws, _("Unplugged a device")) as session:
        row = computer_row(ws, session)
        device = _device(ws, row, device_id)
        rig = the_rig(ws, session)
        heard = rig.source == "simulated" and device_key(device) == rig.device_key
        row.body = ws.world.computer.unplug(row.body, device_id)
    if heard:
        lose_source(ws, device.title)
    ws.changed()


def plug_in(ws: Workshop, device_id: str) -> None:
    """It returns under whatever name the system gives it, and is recognised."""
    with change(ws, _("Plugged a device in")) as session:
        row = computer_row(ws, session)
        _device(ws, row, device_id)
        row.body = ws.world.computer.plug_in(row.body, device_id)
        session.flush()
        remember_devices(ws, session)
        let_rig_follow(ws, session)
    tell_outside(ws)
    resume_run(ws)
    ws.changed()


def tell_outside(ws: Workshop) -> None:
    """Let the simulated rig and the listeners follow what is kept."""
    with ws.sessions.begin() as session:
        let_rig_follow(ws, session)
    let_programs_follow(ws)


def name_device(ws: Workshop, device_id: str, own_name: str | None) -> None:
    """Give a device a name of one's own, or take it away."""
    name = (own_name or "").strip() or None
    with change(
        ws,
        _("Named a device {name}", name=name) if name else _("Took a device’s name away"),
    ) as session:
        device = _device(ws, computer_row(ws, session), device_id)
        key = device_key(device)
        for row in session.scalars(select(KnownDevice)):
            if (
                name is not None
                and row.own_name == name
                and row.key != key
                and row.body.get("direction") == device.direction
            ):
                raise Refused(
                    "name-taken",
                    _(
                        "Another {direction} is called “{name}” already. Choose another name.",
                        direction=device.direction,
                        name=name,
                    ),
                )
        row = session.get(KnownDevice, key) or KnownDevice(key=key, body=body_of(device))
        row.own_name = name
        session.add(row)
    ws.changed()


def choose_device(ws: Workshop, device_id: str) -> None:
    """Say which input the rig's interface shows up as."""
    refuse_during_take(ws)
    with change(ws, _("Chose the rig’s input")) as session:
        device = _device(ws, computer_row(ws, session), device_id)
        if device.direction != "input":
            raise Refused("not-an-input", _("Only an input can be the rig’s microphone."))
        if device.kind == "feed":
            raise Refused(
                "ours", _("This is a feed of ours: it would hear itself. Choose another.")
            )
        rig: Rig = the_rig(ws, session)
        rig.device_key, rig.channel = device_key(device), None
        if not ws.world.computer.simulated:
            rig.rate_hz = device.rate_hz
        session.flush()
        let_rig_follow(ws, session)
    ws.changed()
