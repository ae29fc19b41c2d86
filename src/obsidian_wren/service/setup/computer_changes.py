"""The computer’s sound settings changed; devices pulled, plugged in, named, chosen."""

from __future__ import annotations

from typing import Any, cast

from sqlalchemy import select

from obsidian_wren.core.derive.audit import Change
from obsidian_wren.core.derive.sound_device import SoundDevice, device_key
from obsidian_wren.core.wording import _
from obsidian_wren.service.changes.record import change
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live.holding import refuse_during_take
from obsidian_wren.service.live.living import follow_input, follow_output, lose_source, resume_run
from obsidian_wren.service.live.simulated import let_programs_follow, let_rig_follow
from obsidian_wren.service.rig.computer_rows import (
    body_of,
    computer_row,
    note_device,
    remember_devices,
    set_device,
)
from obsidian_wren.service.rig.rigs import the_rig
from obsidian_wren.store.models import ComputerRow, KnownDevice, Rig


def change_device(app: AppContext, device_id: str, field: str, value: float | bool) -> None:
    """Set one thing in the sound settings."""
    refuse_during_take(app)
    wanted = Change(device_id, cast(Any, field), value)
    with app.sessions() as session:
        device = _device(app, computer_row(app, session), device_id)
        if not device.present:
            raise Refused("gone", _("{title} is not plugged in.", title=device.title))
    note_device(app, wanted)
    with change(app, _("Sound settings")) as session:
        set_device(app, session, wanted)
        let_rig_follow(app, session)
    follow_output(app)
    app.changed()


def _device(app: AppContext, row: ComputerRow, device_id: str) -> SoundDevice:
    for device in app.world.computer.devices(row.body):
        if device.id == device_id:
            return device
    raise Refused("no-device", _("The computer no longer lists this device."))


def unplug(app: AppContext, device_id: str) -> None:
    """A device goes away (the stand-in lets you pull it)."""
    with change(app, _("Unplugged a device")) as session:
        row = computer_row(app, session)
        device = _device(app, row, device_id)
        rig = the_rig(app, session)
        heard = rig.source == "simulated" and device_key(device) == rig.device_key
        row.body = app.world.computer.unplug(row.body, device_id)
    if heard:
        lose_source(app, device.title)
    app.changed()


def plug_in(app: AppContext, device_id: str) -> None:
    """It returns under whatever name the system gives it, and is recognised."""
    with change(app, _("Plugged a device in")) as session:
        row = computer_row(app, session)
        _device(app, row, device_id)
        row.body = app.world.computer.plug_in(row.body, device_id)
        session.flush()
        remember_devices(app, session)
        let_rig_follow(app, session)
    tell_outside(app)
    resume_run(app)
    app.changed()


def tell_outside(app: AppContext) -> None:
    """Let the simulated rig and the listeners follow what is kept."""
    with app.sessions.begin() as session:
        let_rig_follow(app, session)
    let_programs_follow(app)


def name_device(app: AppContext, device_id: str, own_name: str | None) -> None:
    """Give a device a name of one's own, or take it away."""
    name = (own_name or "").strip() or None
    with change(
        app,
        _("Named a device {name}", name=name) if name else _("Removed a device’s name"),
    ) as session:
        device = _device(app, computer_row(app, session), device_id)
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
                        "Another {direction} is already called “{name}”. Choose another name.",
                        direction=device.direction,
                        name=name,
                    ),
                )
        row = session.get(KnownDevice, key) or KnownDevice(key=key, body=body_of(device))
        row.own_name = name
        session.add(row)
    app.changed()


def choose_device(app: AppContext, device_id: str) -> None:
    """Say which input the rig's interface shows up as."""
    refuse_during_take(app)
    with change(app, _("Chose the rig’s input")) as session:
        device = _device(app, computer_row(app, session), device_id)
        if device.direction != "input":
            raise Refused("not-an-input", _("Only an input can be the rig’s microphone."))
        if device.kind == "feed":
            raise Refused(
                "ours", _("This is one of our feeds: it would hear itself. Choose another.")
            )
        rig: Rig = the_rig(app, session)
        rig.device_key, rig.channel = device_key(device), None
        if not app.world.computer.simulated:
            rig.rate_hz = device.rate_hz
        session.flush()
        let_rig_follow(app, session)
    follow_input(app)
    app.changed()
