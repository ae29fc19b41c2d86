"""What a person says about the rig."""

from __future__ import annotations

from obsidian_wren.core.wording import _
from obsidian_wren.service.changes.record import change
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live.holding import refuse_during_take
from obsidian_wren.service.live.living import follow_input
from obsidian_wren.service.rig.fields import RigFields
from obsidian_wren.service.rig.rigs import in_hand, the_rig
from obsidian_wren.service.setup.following import align_controls, rederive_plan
from obsidian_wren.service.setup.things import THINGS
from obsidian_wren.store.models import Response

# What of a rig is no fact that a take is made at.
_NO_FACTS = ("name", "aim_low_dbfs", "aim_high_dbfs")


def change_rig(app: AppContext, fields: RigFields) -> None:
    """Keep what a person says about the rig.

    What was measured before stays, marked stale where the change reaches it.
    """
    if fields.aim_low_dbfs >= fields.aim_high_dbfs:
        raise Refused(
            "aim",
            _("The lower end of the target has to be under its upper end. Fix it and try again."),
        )
    with app.sessions.begin() as session:
        the_rig(app, session)
    with change(app, _title(app, fields)) as session:
        ctx = in_hand(app, session)
        rig = ctx.rig
        differs = {
            name for name, value in fields.model_dump().items() if getattr(rig, name) != value
        }
        if differs - set(_NO_FACTS):
            refuse_during_take(app)
        for kind, model in THINGS.items():
            if session.get(model, getattr(fields, f"{kind}_id")) is None:
                raise Refused(
                    "no-thing", _("This {kind} is no longer stored. Choose another.", kind=kind)
                )
        if fields.source != rig.source:
            # Another knob: the simulated one stands where its world says, a real one is counted
            # from where it stands now.
            rig.gain_db = None if fields.source == "simulated" else 0.0
        for name, value in fields.model_dump().items():
            setattr(rig, name, value)
        session.flush()
        session.refresh(rig)
        align_controls(ctx)
    rederive_plan(app)
    if differs & {"source", "channel", "rate_hz"}:
        follow_input(app)
    app.changed()


def _title(app: AppContext, fields: RigFields) -> str:
    """What changed, in a few words."""
    with app.sessions() as session:
        rig = the_rig(app, session)
        names = {
            "distance_cm": "distance",
            "angle_deg": "angle",
            "height_cm": "height",
            "source": _("source"),
            "rate_hz": _("sample rate"),
            "microphone_id": "microphone",
            "interface_id": "interface",
            "room_id": "room",
            "pop_screen": _("pop screen"),
            "shock_mount": _("shock mount"),
            "phantom_on": _("phantom power"),
            "aim_low_dbfs": "aim",
            "aim_high_dbfs": "aim",
            "support": "stand",
            "name": _("name of the rig"),
        }
        changed = [
            names.get(name, name)
            for name, value in fields.model_dump().items()
            if getattr(rig, name) != value
        ]
    return _("Rig: {fromkeys}", fromkeys=", ".join(dict.fromkeys(changed))) if changed else _("Rig")


def attach_response(app: AppContext, name: str, rows: list[list[float]]) -> None:
    """Keep a response file with the rig's microphone. Tone is stale until it is fitted again."""
    with change(app, _("Response file {name}", name=name)) as session:
        rig = the_rig(app, session)
        row = Response(name=name[:120], rows=rows)
        session.add(row)
        session.flush()
        rig.microphone.response_id = row.id
    app.changed()


def detach_response(app: AppContext) -> None:
    """Use the microphone without a response file again."""
    with change(app, _("Removed the response file")) as session:
        the_rig(app, session).microphone.response_id = None
    app.changed()
