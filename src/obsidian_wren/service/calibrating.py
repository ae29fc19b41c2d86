"""What a person does to a calibration: pin, nudge, switch, reorder, wish, let go, fit again, settle."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sqlalchemy.orm import Session

from obsidian_wren.core.chain.kinds import STAGE_KINDS
from obsidian_wren.core.chain.parameters import TITLES, parameter
from obsidian_wren.service.deriving import derive_after_change, derive_again
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.facts import facts_of
from obsidian_wren.service.history import TONE_WISHES, change
from obsidian_wren.service.kept import chain_is_whole, current_takes, now, proved_listeners, setting_row, setting_title
from obsidian_wren.service.rigs import the_rig
from obsidian_wren.service.views import BandValue, StepName, WishesBody
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.store.models import Derivation, Settled, StageRow, Target


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
            known = parameter(stage, name)
            if not known.low <= value <= known.high:
                raise Refused("range", f"This setting goes from {known.low:g} to {known.high:g} {row.unit}. Choose a value in between.")
            row.value = value
        session.flush()
        derive_after_change(ws, session, rig)
    ws.changed()


def switch_stage(ws: Workshop, kind: str, on: bool | None) -> None:
    """Hold a stage on or off, or let what was derived stand again (None)."""
    verb = "Let go of" if on is None else "Switched on" if on else "Switched off"
    with change(ws, f"{verb} {TITLES[kind].lower()}") as session:
        rig = the_rig(ws, session)
        row = session.get(StageRow, (rig.id, kind))
        if row is None:
            raise Refused("no-stage", "This stage is not derived yet. Take what it is derived from first.")
        if kind == "limiter" and on is False:
            raise Refused(
                "limiter", "The limiter stays on: without it peaks would pass the ceiling. Raise its ceiling if it takes too much."
            )
        row.pinned = on is not None
        row.runs = row.derived if on is None else on
        session.flush()
        derive_after_change(ws, session, rig)
    ws.changed()


def order_stages(ws: Workshop, order: Sequence[str]) -> None:
    """Put the stages in another order; an empty one is the default."""
    if order and sorted(order) != sorted(STAGE_KINDS):
        raise Refused("order", "The order has to name every stage once.")
    with change(ws, "Another order of the stages" if order else "The usual order of the stages") as session:
        rig = the_rig(ws, session)
        rig.stage_order = [] if list(order) == list(STAGE_KINDS) else list(order)
        session.flush()
        derive_after_change(ws, session, rig)
    ws.changed()


def change_wishes(ws: Workshop, wishes: WishesBody) -> None:
    """Keep what a person wants of the treated voice. What is left out is as usual. Another target or taste is fitted at once."""
    body: dict[str, Any] = wishes.model_dump(exclude_none=True, exclude_defaults=True)
    with ws.sessions() as session:
        before = dict(the_rig(ws, session).wishes)
    names = {"cut_weight": "how cut words weigh", "taste": "taste", "target": "target", "aims": "aims"}
    changed = [title for name, title in names.items() if before.get(name) != body.get(name)]
    with change(ws, f"Changed {' and '.join(changed) or 'wishes'}") as session:
        rig = the_rig(ws, session)
        target = body.get("target", {})
        if target.get("kind") == "imported" and session.get(Target, target.get("id") or 0) is None:
            raise Refused("no-target", "This target is no longer kept. Import it again.")
        if target.get("kind") == "reference take" and current_takes(session, rig).of("reference") is None:
            raise Refused("no-reference", "There is no reference take yet. Take or import one first.")
        aims = wishes.aims
        if aims is not None and aims.peaks_dbfs[0] >= aims.peaks_dbfs[1]:
            raise Refused("aim", "The window for peaks needs its lower end under its upper end. Mend it and try again.")
        rig.wishes = body
        session.flush()
        derive_after_change(ws, session, rig, refit=any(before.get(name) != body.get(name) for name in TONE_WISHES))
    ws.changed()


def keep_target(ws: Workshop, name: str, rows: list[list[float]]) -> None:
    """Keep a target from a two-column text, and fit to it."""
    with change(ws, f"Target {name}") as session:
        rig = the_rig(ws, session)
        row = Target(name=name[:120], rows=[list(entry[:2]) for entry in rows])
        session.add(row)
        session.flush()
        rig.wishes = {**rig.wishes, "target": {"kind": "imported", "id": row.id}}
        session.flush()
        derive_after_change(ws, session, rig, refit=True)
    ws.changed()


def settle_step(ws: Workshop, step: StepName) -> None:
    """A person accepts a step as it stands. Refused, with what to do, while it stands on nothing."""
    with change(ws, f"Settled {step.capitalize()}") as session:
        rig = the_rig(ws, session)
        takes = current_takes(session, rig)
        missing = {
            "quiet": None if takes.quiet else "Take the room first.",
            "gain": None if takes.talk else "Take normal talk first.",
            "clean": None if session.get(Derivation, (rig.id, "clean")) else "Take the room and normal talk first.",
            "tone": None if session.get(Derivation, (rig.id, "tone")) else "Read the passage first.",
            "steady": None if chain_is_whole(session, rig) else "Read the passage first: the voice is steadied behind its tone.",
            "send": _unproved(session),
        }.get(step)
        if missing:
            raise Refused("not-yet", missing)
        session.merge(Settled(rig_id=rig.id, step=step, at=now(), basis=facts_of(ws, session, rig)))
    ws.changed()


def _unproved(session: Session) -> str | None:
    """Why Send cannot be settled yet."""
    good, all_ = proved_listeners(session)
    if not all_:
        return "No listener is in use yet. Set up a case first."
    if good < all_:
        return f"{good} of {all_} listeners are proved to get the treated voice. Send the marker, and mend what it finds."
    return None
