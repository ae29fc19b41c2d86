"""A data folder filled with the boathouse: its calibration up to what programs get, done once."""

from __future__ import annotations

from sqlalchemy import delete, func, select

from obsidian_wren.service.context import AppContext
from obsidian_wren.service.mixes import clips, mixing
from obsidian_wren.service.rig import fields, rigs
from obsidian_wren.service.setup import confirming, rig_changes, things, turning
from obsidian_wren.service.takes import simulated
from obsidian_wren.service.words import StepName
from obsidian_wren.store.models import ChangeRow, Derivation, Take

_DERIVED_STEPS: tuple[StepName, ...] = ("clean", "tone", "steady")


def fill_with_boathouse(app: AppContext) -> bool:
    """Do the boathouse's calibration, once: rig, room, gain turned, voice taken, tone fitted, every
    step up to Steady confirmed, mixes derived. What its programs pick is left to be proved.

    True when done now.
    """
    with app.sessions() as session:
        if session.scalar(select(func.count()).select_from(Take)):
            return False
    _boathouse_rig(app)
    confirming.confirm_step(app, "rig")
    simulated.start_simulated(app, "rest", pace="fast")
    simulated.start_simulated(app, "talk", pace="fast")
    with app.sessions() as session:
        rig = rigs.the_rig(app, session)
        change_db = session.get_one(Derivation, (rig.id, "gain")).body["change_db"]
    if rig.gain_db is not None and change_db:
        turning.turn_knob(app, rig.gain_db + change_db)
        simulated.start_simulated(app, "rest", pace="fast")
        simulated.start_simulated(app, "talk", pace="fast")
    confirming.confirm_step(app, "quiet")
    confirming.confirm_step(app, "gain")
    simulated.start_simulated(app, "passage", pace="fast")
    for step in _DERIVED_STEPS:
        confirming.confirm_step(app, step)
    clips.ship(app)
    mixing.refresh(app)
    with app.sessions.begin() as session:
        # Nobody did these by hand, so nobody should undo them.
        session.execute(delete(ChangeRow))
    return True


def _boathouse_rig(app: AppContext) -> None:
    """The things that the boathouse's rig is made of, and where they stand."""
    with app.sessions.begin() as session:
        rig = rigs.the_rig(app, session)
        ids = rig.microphone_id, rig.interface_id, rig.room_id
    things.keep_thing(
        app,
        "microphone",
        fields.MicrophoneFields(
            name="Reedling 40",
            kind="condenser",
            pattern="cardioid",
            sensitivity_mv_pa=18,
            self_noise_dba=13,
            max_spl_db=134,
            needs_phantom=True,
        ),
        ids[0],
    )
    things.keep_thing(
        app,
        "interface",
        fields.InterfaceFields(
            name="Towpath Two",
            gain_low_db=0,
            gain_high_db=56,
            gain_step_db=1,
            pad_db=10,
            max_input_dbu=9,
            ein_dbu=-127,
            has_phantom=True,
            direct_monitoring=True,
        ),
        ids[1],
    )
    things.keep_thing(
        app,
        "room",
        fields.RoomFields(
            name="Boathouse loft", length_m=4.6, width_m=3.4, height_m=2.4, surfaces="furnished"
        ),
        ids[2],
    )
    rig_changes.change_rig(
        app,
        fields.RigFields(
            name="Loft desk",
            microphone_id=ids[0],
            interface_id=ids[1],
            room_id=ids[2],
            distance_cm=22,
            angle_deg=20,
            pop_screen=True,
            rate_hz=48_000,
            bits=24,
            source="simulated",
            phantom_on=True,
        ),
    )
