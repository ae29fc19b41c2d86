"""Opening a data folder, and filling one with the boathouse."""

from __future__ import annotations

from sqlalchemy import func, select

from obsidian_wren.service.ports import World
from obsidian_wren.service.workshop import Pace, Workshop
from obsidian_wren.store.database import open_database
from obsidian_wren.store.folder import DataFolder, disk_errors
from obsidian_wren.store.models import Derivation, Take


def open_workshop(folder: DataFolder, world: World, *, pace: Pace = "real") -> Workshop:
    """Open what is kept in a data folder. Raises FolderError when the disk fails."""
    from obsidian_wren.store import take_files

    with disk_errors("opening the data folder"):
        sessions = open_database(folder.database)
        ws = Workshop(folder, sessions, world, pace)
        for stray in folder.takes.glob("*.new"):
            stray.unlink(missing_ok=True)
        if take_files.list_halves(folder, running=None):
            from obsidian_wren.service.taking import discard_empty_halves

            ws.message = discard_empty_halves(ws)
    return ws


def close_workshop(ws: Workshop) -> None:
    """Stop what runs and give the folder back."""
    if ws.run is not None:
        from obsidian_wren.service.sending import stop_run

        stop_run(ws)
    ws.folder.close()


def fill_with_boathouse(ws: Workshop) -> bool:
    """Do the first steps of the boathouse's calibration, once: rig, room, gain turned, voice taken, tone fitted. True when done now."""
    from obsidian_wren.service import calibrating, rigs, taking, views

    with ws.sessions() as session:
        if session.scalar(select(func.count()).select_from(Take)):
            return False
    rigs.change_rig(
        ws,
        views.RigFields(
            room_name="Boathouse loft", microphone_name="Reedling 40", microphone_kind="condenser", pattern="cardioid",
            interface_name="Towpath Two", distance_cm=22, angle_deg=20, rate_hz=48_000, sensitivity_mv_pa=18,
            max_input_dbu=9, source="simulated",
        ),
    )  # fmt: skip
    calibrating.settle_step(ws, "rig")
    taking.start_simulated(ws, "rest", pace="fast")
    taking.start_simulated(ws, "talk", pace="fast")
    with ws.sessions() as session:
        rig = rigs.the_rig(ws, session)
        change_db = session.get_one(Derivation, (rig.id, "gain")).body["change_db"]
    if rig.gain_db is not None and change_db:
        rigs.turn_knob(ws, rig.gain_db + change_db)
        taking.start_simulated(ws, "rest", pace="fast")
        taking.start_simulated(ws, "talk", pace="fast")
    calibrating.settle_step(ws, "quiet")
    calibrating.settle_step(ws, "gain")
    taking.start_simulated(ws, "passage", pace="fast")
    return True
