"""Opening a data folder, and filling one with the boathouse.

Nothing that lies in the folder may stop a start. What cannot be read or derived is put aside or passed over, and told: at the take, clip or
recording that it is, or as a finding of the whole folder.
"""

from __future__ import annotations

import logging
from collections.abc import Callable

from sqlalchemy import delete, func, select

from obsidian_wren.core.told import Told
from obsidian_wren.service.ports import World
from obsidian_wren.service.workshop import Pace, Workshop
from obsidian_wren.store import salvage, take_files
from obsidian_wren.store.backup import Copier
from obsidian_wren.store.database import open_database
from obsidian_wren.store.folder import DataFolder, disk_errors
from obsidian_wren.store.models import Change, Derivation, Reading, Recording, Take

_LOG = logging.getLogger(__name__)


def open_workshop(folder: DataFolder, world: World, *, pace: Pace = "real") -> Workshop:
    """Open what is kept in a data folder. A damaged database is put aside and its newest sound copy put back.

    Raises FolderError when the disk fails, or when a newer program worked here.
    """
    with disk_errors("opening the data folder"):
        restored = salvage.restore_where_needed(folder)
        ws = Workshop(folder, open_database(folder.database), world, pace)
        take_files.sweep(folder)
        _set_the_scene(ws)
        if restored is not None:
            _take_back(ws, restored)
        ws.copier = Copier(folder)
        ws.sessions.on_kept = ws.copier.poke
        for part in (_take_up_parts, _read_again, _take_up_recordings):
            _as_far_as_it_goes(ws, part)
    return ws


def _as_far_as_it_goes(ws: Workshop, part: Callable[[Workshop], None]) -> None:
    """One part of opening: what it cannot do is told, and the rest opens."""
    try:
        part(ws)
    except Told as error:
        ws.find(error.code, str(error), "What is kept otherwise is here. Start the program again when that is put right.")
    except Exception:
        _LOG.exception("A part of opening failed")
        ws.find(
            "opening",
            "Something in the data folder could not be taken up again.",
            "What is shown is whole. “obsidian-wren doctor” looks through the folder and says what it is.",
        )


def _take_back(ws: Workshop, restored: salvage.Restored) -> None:
    from obsidian_wren.service import rebuilding

    taken = 0
    try:
        taken = rebuilding.take_back(ws)
    except Exception:
        # “doctor” tries again and says what is left.
        _LOG.exception("What lies beside the database could not be taken up")
    since = "everything in it is here again" if restored.at is not None else "what lies beside it was taken up"
    more = f"{taken} sound{'s' if taken != 1 else ''} that it did not know {'were' if taken != 1 else 'was'} taken up from {'their' if taken != 1 else 'its'} file. "
    ws.find(
        "database-restored",
        f"The database was {restored.why}. "
        + (f"The copy of {restored.at} was put back; {since}." if restored.at else f"There was no copy; {since}."),
        (more if taken else "") + f"Look through your settings. The old file lies in “{restored.aside}” of the data folder.",
    )


def _take_up_parts(ws: Workshop) -> None:
    if any(ws.folder.parts.iterdir()):
        from obsidian_wren.service.taking import take_up_parts

        take_up_parts(ws)


def _set_the_scene(ws: Workshop) -> None:
    """Listeners and sources are laid out once, before pages ask for them side by side."""
    from obsidian_wren.service import scene
    from obsidian_wren.service.rigs import the_rig

    with ws.sessions.begin() as session:
        the_rig(ws, session)
        scene.destinations(ws, session)
        scene.sources(session)
        scene.live_wish(session)


def _take_up_recordings(ws: Workshop) -> None:
    """Recordings that a kill cut off are measured and listed; deleted ones go for good."""
    with ws.sessions() as session:
        wanted = session.scalar(select(func.count()).select_from(Recording).where((Recording.frames == 0) | Recording.discarded.is_(True)))
    if wanted:
        from obsidian_wren.service import recorder

        ws.message = recorder.take_up(ws) or ws.message


def _read_again(ws: Workshop) -> None:
    """What a new version of the program reads differently is read again; what was discarded beyond undo goes."""
    with ws.sessions() as session:
        unread = session.scalar(
            select(func.count()).select_from(Take).outerjoin(Reading, Reading.take_id == Take.id)
            .where(Reading.take_id.is_(None), Take.fault.is_(None), Take.discarded.is_(False), Take.purpose.not_in(("dial", "clap", "sweep")))
        )  # fmt: skip
        discarded = session.scalar(select(func.count()).select_from(Take).where(Take.discarded.is_(True)))
    if unread or discarded:
        from obsidian_wren.service import taking

        if discarded:
            taking.purge_discarded(ws)
        if unread:
            taking.measure_missing(ws)


def close_workshop(ws: Workshop) -> None:
    """Stop what runs and give the folder back."""
    if ws.watch is not None:
        ws.watch.stop()
    if ws.run is not None:
        from obsidian_wren.service.living import stop_run

        stop_run(ws, wanted=True)
    if ws.copier is not None:
        ws.copier.stop()
    ws.sessions.close()
    ws.folder.close()


def fill_with_boathouse(ws: Workshop) -> bool:
    """Do the first steps of the boathouse's calibration, once: rig, room, gain turned, voice taken, tone fitted, mixes derived.

    True when done now.
    """
    from obsidian_wren.service import calibrating, clips, mixing, rigs, taking

    with ws.sessions() as session:
        if session.scalar(select(func.count()).select_from(Take)):
            return False
    _boathouse_rig(ws)
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
    clips.ship(ws)
    mixing.refresh(ws)
    with ws.sessions.begin() as session:
        # Nobody did these by hand, so nobody should undo them.
        session.execute(delete(Change))
    return True


def _boathouse_rig(ws: Workshop) -> None:
    """The things that the boathouse's rig is made of, and where they stand."""
    from obsidian_wren.service import rigs, views

    with ws.sessions.begin() as session:
        rig = rigs.the_rig(ws, session)
        ids = rig.microphone_id, rig.interface_id, rig.room_id
    rigs.keep_thing(
        ws, "microphone",
        views.MicrophoneFields(
            name="Reedling 40", kind="condenser", pattern="cardioid", sensitivity_mv_pa=18, self_noise_dba=13, max_spl_db=134, needs_phantom=True
        ), ids[0],
    )  # fmt: skip
    rigs.keep_thing(
        ws, "interface",
        views.InterfaceFields(
            name="Towpath Two", gain_low_db=0, gain_high_db=56, gain_step_db=1, pad_db=10, max_input_dbu=9, ein_dbu=-127,
            has_phantom=True, direct_monitoring=True,
        ), ids[1],
    )  # fmt: skip
    rigs.keep_thing(
        ws, "room", views.RoomFields(name="Boathouse loft", length_m=4.6, width_m=3.4, height_m=2.4, surfaces="furnished"), ids[2]
    )
    rigs.change_rig(
        ws,
        views.RigFields(
            name="Loft desk", microphone_id=ids[0], interface_id=ids[1], room_id=ids[2], distance_cm=22, angle_deg=20, pop_screen=True,
            rate_hz=48_000, bits=24, source="simulated", phantom_on=True,
        ),
    )  # fmt: skip
