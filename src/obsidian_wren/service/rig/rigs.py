"""The rig in hand, and the simulated rig that follows its controls."""

from __future__ import annotations

from dataclasses import replace

from sqlalchemy import select
from sqlalchemy.orm import Session

from obsidian_wren.core.wording import _
from obsidian_wren.ports.world import Knob
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.rig.computer_rows import computer_row, remember_devices
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.fields import InterfaceFields
from obsidian_wren.service.words import Source
from obsidian_wren.store.models import ActiveRig, InterfaceRow, MicrophoneRow, Rig, RoomRow


def the_rig(app: AppContext, session: Session) -> Rig:
    """The rig in hand; a blank one is made at the first start."""
    desk = session.get(ActiveRig, 1)
    if desk is not None:
        found = session.get(Rig, desk.rig_id)
        if found is not None:
            return found
    rig = session.scalars(select(Rig).order_by(Rig.id)).first()
    if rig is None:
        rig = _blank(app, session)
    session.merge(ActiveRig(id=1, rig_id=rig.id))
    session.flush()
    return rig


def _blank(app: AppContext, session: Session) -> Rig:
    microphone = MicrophoneRow(name=_("My microphone"), kind="condenser", pattern="cardioid")
    interface = InterfaceRow(**InterfaceFields(name=_("My interface")).model_dump())
    room = RoomRow(name=_("My room"))
    session.add_all([microphone, interface, room])
    session.flush()
    computer_row(app, session)
    rig = Rig(
        name=_("My rig"),
        microphone=microphone,
        interface=interface,
        room=room,
        distance_cm=20.0,
        angle_deg=0.0,
        height_cm=0.0,
        pop_screen=False,
        foam=False,
        shock_mount=False,
        support="desk stand",
        rate_hz=48_000,
        bits=24,
        source=first_source(app),
        spec_json=app.world.default_spec,
        device_key=None,
        channel=None,
        gain_db=0.0,
        dial=None,
        pad_on=False,
        trim_db=0.0,
        program_db=0.0,
        phantom_on=None,
        aim_low_dbfs=-15.0,
        aim_high_dbfs=-10.0,
        things_off=[],
        preferences={},
        stage_order=[],
    )
    session.add(rig)
    session.flush()
    rig.device_key = remember_devices(app, session)
    session.flush()
    return rig


def first_source(app: AppContext) -> Source:
    """Where sound comes from before anybody says so: a microphone of this computer where its sound
    server answers, else the browser's."""
    system = app.world.system
    there = system is not None and any(
        device.direction == "input" and device.kind != "feed" for device in system.seen.devices
    )
    return "system" if there else "browser"


def in_hand(app: AppContext, session: Session) -> RigContext:
    """The rig in hand, to be worked with in this transaction."""
    return RigContext(app, session, the_rig(app, session))


def knob_of(app: AppContext, rig: Rig) -> Knob:
    """The simulated preamp as the person left it."""
    knob = app.world.knob_of(rig.spec_json)
    return knob if rig.gain_db is None else replace(knob, gain_db=rig.gain_db)


def is_in_hand(session: Session, rig: Rig) -> bool:
    """Whether a rig is the one that is worked with."""
    desk = session.get(ActiveRig, 1)
    return desk is None or desk.rig_id == rig.id
