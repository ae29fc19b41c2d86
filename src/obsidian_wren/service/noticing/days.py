"""Ordinary days, kept as numbers: what the watch of a rig takes for usual."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np
from sqlalchemy import delete, select

from obsidian_wren.service.context import AppContext
from obsidian_wren.service.context.clock import now
from obsidian_wren.store.models import OrdinaryDay

if TYPE_CHECKING:
    from obsidian_wren.core.decibels import Samples
    from obsidian_wren.core.noticing.usual import Usual

# A day is known from so much talk; older days than so many are forgotten.
_LEAST_TALK_S, _MOST_DAYS = 120.0, 60


def usual(app: AppContext, rig_id: int, basis: str) -> Usual:
    """What is usual of a rig since the calibration ``basis``, from the days before this one."""
    from obsidian_wren.core.noticing.usual import usual_from

    with app.sessions() as session:
        kept = session.scalars(
            select(OrdinaryDay)
            .where(OrdinaryDay.rig_id == rig_id, OrdinaryDay.basis == basis)
            .order_by(OrdinaryDay.day)
        ).all()
        days = [np.array(row.numbers) for row in kept if row.day != _today()]
    sizes = {len(day) for day in days}
    return usual_from(days if len(sizes) == 1 else [])


def keep_day(
    app: AppContext, rig_id: int, basis: str, looks: Sequence[Samples], talk_s: float
) -> None:
    """Keep this day so far, where there was enough ordinary talk. Days before another calibration
    say nothing of this one."""
    if talk_s < _LEAST_TALK_S or not looks:
        return
    numbers = [round(float(number), 2) for number in np.median(looks, axis=0)]
    with app.sessions.begin() as session:
        session.execute(
            delete(OrdinaryDay).where(OrdinaryDay.rig_id == rig_id, OrdinaryDay.basis != basis)
        )
        session.merge(
            OrdinaryDay(rig_id=rig_id, day=_today(), basis=basis, numbers=numbers, talk_s=talk_s)
        )
        kept = session.scalars(
            select(OrdinaryDay.day)
            .where(OrdinaryDay.rig_id == rig_id)
            .order_by(OrdinaryDay.day.desc())
        ).all()
        session.execute(
            delete(OrdinaryDay).where(
                OrdinaryDay.rig_id == rig_id, OrdinaryDay.day.in_(kept[_MOST_DAYS:])
            )
        )


def _today() -> str:
    return now()[:10]
