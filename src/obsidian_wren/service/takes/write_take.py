"""A take is written: its sound, then its row."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure import integrity
from obsidian_wren.core.measure.faults import BadTake
from obsidian_wren.formats.jsonable import to_jsonable
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.context.clock import now
from obsidian_wren.service.rig.rigs import the_rig
from obsidian_wren.store import parts, take_files
from obsidian_wren.store.models import Rig, Take


def write_take(
    app: AppContext,
    info: parts.PartInfo,
    samples: Samples,
    *,
    half: bool,
    ended: str | None,
    notes: list[str],
    fault: BadTake | None,
    channels: integrity.Channels | None,
) -> int:
    """Keep one channel ``(n,)`` as a take of what ``info`` says, and give the number of its row.
    ``fault``: why it cannot be used."""
    taken_at = now()
    channels_json = None if channels is None else to_jsonable(channels)
    with app.sessions() as session:
        described: dict[str, Any] = {
            **_described(info, taken_at),
            "rig": _rig_of(app, session, info).name,
            "half": half,
            "ended": ended,
            "notes": notes,
            "channels": channels_json,
        }
    digest = take_files.keep_take(app.folder, samples, rate_hz=info.rate_hz, described=described)
    with app.sessions.begin() as session:
        take = Take(
            rig_id=_rig_of(app, session, info).id,
            purpose=info.purpose,
            sha256=digest,
            rate_hz=info.rate_hz,
            frames=len(samples),
            source=info.source,
            facts=info.facts,
            channels=channels_json,
            half=half,
            notes=notes,
            fault=None if fault is None else str(fault),
            fault_code=None if fault is None else fault.code,
            discarded=False,
            ended=ended,
            taken_at=taken_at,
        )
        session.add(take)
        session.flush()
        return take.id


def _described(info: parts.PartInfo, taken_at: str) -> dict[str, Any]:
    """What a take is, as it is said beside its sound."""
    return {
        "as": "take",
        "purpose": info.purpose,
        "rate_hz": info.rate_hz,
        "source": info.source,
        "facts": info.facts,
        "at": taken_at,
    }


def _rig_of(app: AppContext, session: Session, info: parts.PartInfo) -> Rig:
    """The rig that a take was begun on; the one in hand where that one is gone or was never
    said."""
    rig = session.get(Rig, info.rig_id) if info.rig_id is not None else None
    return rig or the_rig(app, session)
