"""Somebody at the same desk with a rig of their own: two rigs are kept as a pair, so that whichever
of them is in hand, the other one is the person beside."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy.orm import Session

from obsidian_wren.core.mix.spill import SpillPath
from obsidian_wren.formats.jsonable import to_jsonable
from obsidian_wren.service.convert import convert
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.store.models import ActiveRig, Rig, SourceRow

PERSON = "person"


@dataclass(frozen=True)
class Pair:
    """Two rigs by their ids; ``spill``: the person of the first in the second's microphone, and the
    other way, None before it is measured; ``stood``: how both stood when it was, each in a word."""

    rigs: tuple[int, int]
    spill: tuple[SpillPath, SpillPath] | None = None
    stood: tuple[str, str] | None = None

    @property
    def turned(self) -> Pair:
        """The same with the other rig first."""
        return Pair(
            self.rigs[::-1],
            None if self.spill is None else self.spill[::-1],
            None if self.stood is None else self.stood[::-1],
        )


def row_of(session: Session) -> SourceRow:
    """The source that the person beside is. Raises NoResultFound before sources are laid out."""
    return session.get_one(SourceRow, PERSON)


def pair_of(ctx: RigContext) -> Pair | None:
    """The pair that the rig in hand belongs to, with that rig first; None where it does not."""
    row = ctx.session.get(SourceRow, PERSON)
    found = None if row is None else _kept(row.settings)
    if found is None or ctx.rig.id not in found.rigs:
        return None
    return found if found.rigs[0] == ctx.rig.id else found.turned


def keep_pair(session: Session, pair: Pair | None) -> None:
    """Keep it from now on."""
    row_of(session).settings = {} if pair is None else to_jsonable(pair)


def is_there(session: Session) -> bool:
    """Whether the rig in hand belongs to a pair whose other rig is still stored."""
    row, desk = session.get(SourceRow, PERSON), session.get(ActiveRig, 1)
    found = None if row is None else _kept(row.settings)
    if found is None or desk is None or desk.rig_id not in found.rigs:
        return False
    return all(session.get(Rig, rig_id) is not None for rig_id in found.rigs)


def person_of(ctx: RigContext) -> RigContext | None:
    """The rig of the person beside, None where nobody is."""
    pair = pair_of(ctx)
    rig = None if pair is None else ctx.session.get(Rig, pair.rigs[1])
    return None if rig is None else RigContext(ctx.app, ctx.session, rig)


def spill_in_force(ctx: RigContext) -> tuple[SpillPath, SpillPath] | None:
    """You in their microphone, and they in yours; None before it is measured, and where a
    microphone or its gain is another one since."""
    pair, person = pair_of(ctx), person_of(ctx)
    if pair is None or person is None or pair.stood != (stands(ctx.rig), stands(person.rig)):
        return None
    return pair.spill


def on_two_devices(ctx: RigContext) -> bool:
    """Whether both have a device of their own: by how much one is later than the other is
    not the same from start to start then, nor from minute to minute."""
    person = person_of(ctx)
    if person is None or ctx.rig.source != "system":
        return False
    return ctx.rig.device_key != person.rig.device_key


def measured(ctx: RigContext, spill: tuple[SpillPath, SpillPath]) -> Pair | None:
    """The pair with what was measured just now."""
    pair, person = pair_of(ctx), person_of(ctx)
    if pair is None or person is None:
        return None
    return replace(pair, spill=spill, stood=(stands(ctx.rig), stands(person.rig)))


def stands(rig: Rig) -> str:
    """What spill depends on of a rig, in a word."""
    where = rig.source, rig.device_key, rig.channel, rig.distance_cm, rig.angle_deg
    gain = rig.gain_db, rig.dial, rig.pad_on, rig.trim_db
    return repr((*where, *gain))


def _kept(settings: dict[str, Any]) -> Pair | None:
    return convert(Pair, settings) if settings.get("rigs") else None
