"""What follows from a person's change, worked out behind its answer where a program runs: the
change is kept and heard at once, and its numbers come as a new revision.

It is worked out on a copy of the rows, so that the next key need not wait for it, and taken over
where nothing was kept meanwhile.
"""

from __future__ import annotations

import logging
from collections.abc import Mapping
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from obsidian_wren.core.told import Told
from obsidian_wren.service.calibration import current
from obsidian_wren.service.calibration.behind import Overtaken
from obsidian_wren.service.calibration.chain_rows import keyed_specs
from obsidian_wren.service.calibration.deriving import derive_after_change, derive_everything
from obsidian_wren.service.calibration.events import ChainChanged
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.rigs import is_in_hand
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.store.copy_in_memory import CopyInMemory, transactions
from obsidian_wren.store.models import Base, Derivation, SettingRow, StageRow
from obsidian_wren.store.take_files import SoundLost

_LOG = logging.getLogger(__name__)
# What a derivation writes, and what tells its rows apart within one rig.
_WRITTEN: tuple[tuple[type[Base], tuple[str, ...]], ...] = (
    (SettingRow, ("stage", "name")),
    (StageRow, ("kind",)),
    (Derivation, ("step",)),
)
_OWN = ("id", "rig_id")
# Somebody else may keep something meanwhile; who does so all the time is worked with in turn.
_MOST_TRIES = 3
_LONGEST_S = 30.0
Rows = dict[type[Base], dict[tuple[Any, ...], dict[str, Any]]]


def follow_change(ctx: RigContext, *, refit: bool = False) -> None:
    """Within a change: what it gives, behind the answer where that runs, else at once. Either way
    the chain that is heard has it at once."""
    behind = current(ctx.ws).behind
    specs = keyed_specs(ctx) if behind.runs else None
    if specs is None:
        derive_after_change(ctx, refit=refit)
        return
    if is_in_hand(ctx.session, ctx.rig):
        ctx.announce(ChainChanged(tuple(specs.values()), tuple(specs)))
    behind.ask(ctx.rig.id, refit=refit)


def caught_up(ws: Workshop) -> None:
    """Wait until what follows from every change is there."""
    current(ws).behind.wait(_LONGEST_S)


def start_catching_up(ws: Workshop) -> None:
    """Work behind from now on, until the program ends."""
    behind, copy = current(ws).behind, CopyInMemory(ws.sessions)

    def work(rigs: Mapping[int, bool]) -> None:
        try:
            for rig_id, refit in rigs.items():
                _catch_up(ws, copy, rig_id, refit=refit)
        except Told as error:
            ws.bus.tell("trouble", {"sentence": str(error)})
        except Overtaken:
            raise
        except Exception:
            # What it stood on is marked as old, and can be derived again with a press.
            _LOG.exception("What follows from a change could not be worked out")

    def end() -> None:
        behind.stop()
        copy.close()

    behind.start(work, ws.changed)
    ws.at_end(end)


def _catch_up(ws: Workshop, copy: CopyInMemory, rig_id: int, *, refit: bool) -> None:
    behind = current(ws).behind
    try:
        for _ in range(_MOST_TRIES):
            heard: list[object] = []
            with copy() as session:
                number = transactions(session)
                ctx = RigContext.of(ws, session, rig_id)
                ctx.announce, ctx.go_on = heard.append, behind.go_on
                derive_everything(ctx, refit=refit)
                found = _rows(session, rig_id)
            with ws.sessions.begin() as session:
                behind.go_on()
                if transactions(session) == number:
                    _take_over(session, rig_id, found)
                    for event in heard:
                        ws.announce(event)
                    return
    except SoundLost:
        # It is marked in what is kept, and done without.
        pass
    with ws.sessions.begin() as session:
        derive_after_change(RigContext.of(ws, session, rig_id), refit=refit)


def _rows(session: Session, rig_id: int) -> Rows:
    """What is kept of a rig's derivation, as it is read back."""
    session.flush()
    session.expire_all()
    return {
        model: {
            tuple(getattr(row, name) for name in names): _values(row)
            for row in session.scalars(select(model).where(_of_rig(model, rig_id)))
        }
        for model, names in _WRITTEN
    }


def _of_rig(model: Any, rig_id: int) -> Any:
    return model.rig_id == rig_id


def _values(row: Base) -> dict[str, Any]:
    return {
        column.key: getattr(row, column.key)
        for column in row.__mapper__.column_attrs
        if column.key not in _OWN
    }


def _take_over(session: Session, rig_id: int, found: Rows) -> None:
    """Bring the rows of a rig to what was worked out."""
    for model, names in _WRITTEN:
        kept = {
            tuple(getattr(row, name) for name in names): row
            for row in session.scalars(select(model).where(_of_rig(model, rig_id)))
        }
        for key, values in found[model].items():
            row = kept.pop(key, None)
            if row is None:
                session.add(model(rig_id=rig_id, **values))
                continue
            for name, value in values.items():
                if getattr(row, name) != value:
                    setattr(row, name, value)
        for row in kept.values():
            session.delete(row)
    session.flush()
