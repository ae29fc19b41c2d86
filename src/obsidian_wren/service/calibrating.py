"""What a person does to a calibration: pin, nudge, let go, fit again, settle."""

from __future__ import annotations

from obsidian_wren.service.deriving import derive_after_change, derive_again
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.facts import facts_of
from obsidian_wren.service.history import change
from obsidian_wren.service.kept import current_takes, newest_proof_is_good, now, setting_row, setting_title
from obsidian_wren.service.rigs import the_rig
from obsidian_wren.service.views import BandValue, StepName
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.store.models import Derivation, Settled

_LIMITS = {
    ("highpass", "frequency_hz"): (20.0, 200.0),
    ("highpass", "order"): (1.0, 4.0),
    ("gain", "gain_db"): (-30.0, 40.0),
    ("limiter", "ceiling_dbtp"): (-20.0, -1.0),
}


def fit_again(ws: Workshop) -> None:
    """Derive everything anew from the newest takes. Pins stay."""
    derive_again(ws, refit=True)


def change_setting(ws: Workshop, stage: str, name: str, *, value: float | None, band: BandValue | None, pinned: bool) -> None:
    """Pin a setting to a person's value, or let the derived value stand again."""
    with ws.sessions() as session:
        row = setting_row(session, the_rig(ws, session), stage, name)
        title = setting_title(row) if row is not None else name
    with change(ws, f"{'Pinned' if pinned else 'Let go of'} {title}") as session:
        rig = the_rig(ws, session)
        row = setting_row(session, rig, stage, name)
        if row is None:
            raise Refused("no-setting", "There is no such setting yet. Take what it is derived from first.")
        row.pinned = pinned
        if not pinned:
            row.value = row.derived
        elif stage == "equalizer":
            if band is not None:
                row.value = band.model_dump()
        elif value is not None:
            low, high = _LIMITS[(stage, name)]
            if not low <= value <= high:
                raise Refused("range", f"This setting goes from {low:g} to {high:g} {row.unit}. Choose a value in between.")
            row.value = value
        session.flush()
        derive_after_change(ws, session, rig)
    ws.changed()


def settle_step(ws: Workshop, step: StepName) -> None:
    """A person accepts a step as it stands. Refused, with what to do, while it stands on nothing."""
    with change(ws, f"Settled {step.capitalize()}") as session:
        rig = the_rig(ws, session)
        takes = current_takes(session, rig)
        missing = {
            "quiet": None if takes.quiet else "Take the room first.",
            "gain": None if takes.talk else "Take normal talk first.",
            "tone": None if session.get(Derivation, (rig.id, "tone")) else "Read the passage first.",
            "send": None
            if newest_proof_is_good(session)
            else "Send the marker first: settling stands on proof that the treated voice arrives.",
        }.get(step)
        if missing:
            raise Refused("not-yet", missing)
        session.merge(Settled(rig_id=rig.id, step=step, at=now(), basis=facts_of(ws, session, rig)))
    ws.changed()
