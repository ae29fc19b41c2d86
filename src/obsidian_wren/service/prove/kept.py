"""What is kept of series and checks. Nothing here computes, so the first page need not wait."""

from __future__ import annotations

from sqlalchemy import select

from obsidian_wren.core.prove.found import FoundCheck
from obsidian_wren.service.convert import convert
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.store.models import Reading, Series, Take

_CHECKS = 30


def running_series(ctx: RigContext) -> Series | None:
    """The series that is not at its end, None where there is none."""
    return ctx.session.scalars(
        select(Series).where(
            Series.rig_id == ctx.rig.id, Series.ended.is_(False), Series.discarded.is_(False)
        )
    ).first()


def kept_series(ctx: RigContext) -> list[Series]:
    """The series that were heard to their end, the newest first."""
    return list(
        ctx.session.scalars(
            select(Series)
            .where(Series.rig_id == ctx.rig.id, Series.ended.is_(True), Series.discarded.is_(False))
            .order_by(Series.id.desc())
        )
    )


def kept_checks(ctx: RigContext) -> list[tuple[Take, FoundCheck]]:
    """The last checks of the rig with what each found, the newest last."""
    found = ctx.session.execute(
        select(Take, Reading)
        .join(Reading, Reading.take_id == Take.id)
        .where(
            Take.rig_id == ctx.rig.id,
            Take.purpose == "check",
            Take.fault.is_(None),
            Take.discarded.is_(False),
        )
        .order_by(Take.id.desc())
        .limit(_CHECKS)
    )
    return [(take, convert(FoundCheck, reading.body)) for take, reading in found][::-1]
