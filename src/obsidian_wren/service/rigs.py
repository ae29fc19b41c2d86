"""The rig: what a person says about it, and the knob."""

from __future__ import annotations

from dataclasses import replace

from sqlalchemy import select
from sqlalchemy.orm import Session

from obsidian_wren.core.derive.staleness import Basis
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.ports import Knob, Placement, TakeSource
from obsidian_wren.service.views import RigFields
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.store.models import Rig


def the_rig(ws: Workshop, session: Session) -> Rig:
    """The rig in hand; a blank one on the simulated world is made at the first start."""
    rig = session.scalars(select(Rig).order_by(Rig.id)).first()
    if rig is None:
        rig = Rig(
            room_name="My room", microphone_name="My microphone", microphone_kind="condenser", pattern="cardioid",
            interface_name="My interface", distance_cm=20.0, angle_deg=0.0, rate_hz=48_000,
            sensitivity_mv_pa=None, max_input_dbu=None, source="browser", spec_json=ws.world.default_spec, gain_db=0.0,
        )  # fmt: skip
        session.add(rig)
        session.flush()
    return rig


def basis_of(rig: Rig) -> Basis:
    """What a take made now would stand on."""
    return Basis(rig.gain_db, rig.distance_cm, rig.angle_deg)


def knob_of(ws: Workshop, rig: Rig) -> Knob:
    """The simulated preamp as the person left it."""
    knob = ws.world.knob_of(rig.spec_json)
    return knob if rig.gain_db is None else replace(knob, gain_db=rig.gain_db)


def simulated_source(ws: Workshop, rig: Rig) -> TakeSource:
    """The simulated rig, its knob where the person left it."""
    source = ws.sources.get(rig.spec_json)
    if source is None:
        source = ws.sources[rig.spec_json] = ws.world.open_source(rig.spec_json)
        if rig.gain_db is not None:
            source.turn(rig.gain_db)
    return source


def change_rig(ws: Workshop, fields: RigFields) -> None:
    """Keep what a person says about the rig. Takes made before a change of placement show as stale."""
    with ws.sessions.begin() as session:
        rig = the_rig(ws, session)
        if ws.take is not None and fields.source != rig.source:
            raise Refused("take-runs", "A take is running. Stop it first, then choose where sound comes from.")
        if fields.source != rig.source:
            # Another knob: the simulated one stands where its world says, a real one is counted from where it stands now.
            rig.gain_db = None if fields.source == "simulated" else 0.0
        for name, value in fields.model_dump().items():
            setattr(rig, name, value)
        if rig.source == "simulated":
            # The person says where the microphone stands; in the simulated world it then stands there.
            rig.spec_json = ws.world.placed(rig.spec_json, Placement(rig.distance_cm, rig.angle_deg, rig.pattern))
            rig.gain_db = knob_of(ws, rig).gain_db
            rig.rate_hz = simulated_source(ws, rig).rate_hz
    ws.changed()


def turn_knob(ws: Workshop, gain_db: float) -> float:
    """Turn the preamp. The simulated one really turns; for a real one it is the person's word, counted from where it first stood."""
    with ws.sessions.begin() as session:
        rig = the_rig(ws, session)
        if rig.source == "simulated":
            gain_db = simulated_source(ws, rig).turn(gain_db).gain_db
        rig.gain_db = gain_db
    ws.changed()
    return gain_db
