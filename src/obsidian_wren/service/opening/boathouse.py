"""A data folder filled with the boathouse: its rigs calibrated up to what programs get, done
once."""

from __future__ import annotations

from sqlalchemy import delete, func, select

from obsidian_wren.service.calibration import deriving
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.mixes import clips, mixing
from obsidian_wren.service.rig import fields, rigs
from obsidian_wren.service.setup import confirming, rig_changes, things, turning
from obsidian_wren.service.takes import simulated
from obsidian_wren.service.words import Purpose, StepName
from obsidian_wren.store.models import ChangeRow, Derivation, Take

_BEFORE_GAIN: tuple[Purpose, ...] = ("rest", "talk")
_IN_USE: tuple[Purpose, ...] = ("in-use",)
# So long they must be to be known; a demo is not waited for longer.
_ENOUGH_S = {"rest": 10.0, "talk": 20.0, "in-use": 16.0, "passage": 28.0}
# As it is advised there.
_LOFT_GAIN_DB = 32.0
_BEHIND_TAKES: tuple[StepName, ...] = ("quiet", "gain", "clean", "tone", "steady")


def fill_with_boathouse(app: AppContext) -> bool:
    """Do the loft's calibration, once: rig, room, gain turned, voice taken, tone fitted, every
    step up to Steady confirmed, mixes derived. What its programs pick is left to be proved.

    True when done now.
    """
    if _is_filled(app):
        return False
    _loft(app)
    _calibrate(app)
    _finish(app)
    return True


def fill_demo(app: AppContext) -> bool:
    """Do the calibrations of the boathouse's three rigs, once: the loft, where little is to be
    done, the galley, and the wheelhouse, which is left in hand. True when done now."""
    if _is_filled(app):
        return False
    _loft(app)
    with app.sessions.begin() as session:
        rigs.the_rig(app, session).gain_db = _LOFT_GAIN_DB
    _calibrate_at_once(app, in_use=False)
    _galley(app)
    _calibrate_at_once(app, in_use=False)
    _wheelhouse(app)
    _calibrate_at_once(app, in_use=True)
    _finish(app)
    return True


def _is_filled(app: AppContext) -> bool:
    with app.sessions() as session:
        return bool(session.scalar(select(func.count()).select_from(Take)))


def _calibrate(app: AppContext) -> None:
    """Take what a calibration stands on, turn the preamp as it is advised, and confirm."""
    confirming.confirm_step(app, "rig")
    for purpose in _BEFORE_GAIN:
        simulated.start_simulated(app, purpose, pace="fast")
    with app.sessions() as session:
        rig = rigs.the_rig(app, session)
        change_db = session.get_one(Derivation, (rig.id, "gain")).body["change_db"]
    if rig.gain_db is not None and change_db:
        turning.turn_knob(app, rig.gain_db + change_db)
        for purpose in _BEFORE_GAIN:
            simulated.start_simulated(app, purpose, pace="fast")
    simulated.start_simulated(app, "passage", pace="fast")
    for step in _BEHIND_TAKES:
        confirming.confirm_step(app, step)


def _calibrate_at_once(app: AppContext, *, in_use: bool) -> None:
    """The same where the preamp stands right already: all is derived of the last take."""
    confirming.confirm_step(app, "rig")
    with deriving.waiting(app):
        for purpose in (*_BEFORE_GAIN, *_IN_USE[:in_use]):
            simulated.start_simulated(app, purpose, pace="fast", seconds=_ENOUGH_S[purpose])
    simulated.start_simulated(app, "passage", pace="fast", seconds=_ENOUGH_S["passage"])
    for step in _BEHIND_TAKES:
        confirming.confirm_step(app, step)


def _finish(app: AppContext) -> None:
    clips.ship(app)
    mixing.refresh(app)
    with app.sessions.begin() as session:
        # Nobody did these by hand, so nobody should undo them.
        session.execute(delete(ChangeRow))


def _another(
    app: AppContext,
    world: str,
    rig: str,
    microphone: fields.MicrophoneFields,
    room: fields.RoomFields,
    *,
    distance_cm: float,
    angle_deg: float,
) -> None:
    """A further rig on the same interface, with the file that the maker of its microphone gives."""
    things.add_rig(app, rig)
    things.keep_thing(app, "microphone", microphone, None)
    things.keep_thing(app, "room", room, None)
    with app.sessions.begin() as session:
        row = rigs.the_rig(app, session)
        row.spec_json = app.world.other_specs[world]
        row.gain_db = app.world.knob_of(row.spec_json).gain_db
        spec, ids = row.spec_json, (row.microphone_id, row.interface_id, row.room_id)
    rig_changes.change_rig(
        app,
        fields.RigFields(
            name=rig,
            microphone_id=ids[0],
            interface_id=ids[1],
            room_id=ids[2],
            distance_cm=distance_cm,
            angle_deg=angle_deg,
            rate_hz=48_000,
            bits=24,
            source="simulated",
            phantom_on=False,
        ),
    )
    rig_changes.attach_response(app, f"{microphone.name}.txt", app.world.maker_response(spec))


def _galley(app: AppContext) -> None:
    """A dynamic too far away, in a hard room with a refrigerator."""
    _another(
        app,
        "galley",
        "Galley table",
        fields.MicrophoneFields(
            name="Deck 7",
            kind="dynamic",
            pattern="cardioid",
            sensitivity_mv_pa=2.2,
            self_noise_dba=None,
            max_spl_db=150,
            needs_phantom=False,
        ),
        fields.RoomFields(name="Galley", length_m=3.2, width_m=2.1, height_m=2.1, surfaces="bare"),
        distance_cm=45,
        angle_deg=15,
    )


def _wheelhouse(app: AppContext) -> None:
    """A headset beside a fan, with keys and the neighbour's dog in the room in use."""
    _another(
        app,
        "wheelhouse",
        "Wheelhouse",
        fields.MicrophoneFields(
            name="Reedling 12",
            kind="headset",
            pattern="cardioid",
            sensitivity_mv_pa=4.5,
            self_noise_dba=24,
            max_spl_db=130,
            needs_phantom=False,
        ),
        fields.RoomFields(
            name="Wheelhouse", length_m=2.6, width_m=2.2, height_m=2.1, surfaces="furnished"
        ),
        distance_cm=6,
        angle_deg=30,
    )


def _loft(app: AppContext) -> None:
    """The things that the loft's rig is made of, and where they stand."""
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
