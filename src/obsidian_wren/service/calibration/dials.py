"""A dial or slider learned from takes at several marks."""

from __future__ import annotations

from sqlalchemy import select

from obsidian_wren.core.derive.dial import DialTake, learn, steady_level
from obsidian_wren.core.measure.steadiness import frames_of
from obsidian_wren.formats.jsonable import to_jsonable
from obsidian_wren.service.readings.measuring import samples_of
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.store.models import Take, TaperRow


def learn_control(ctx: RigContext, newest: Take) -> None:
    """Learn the control that the newest dial take was for, from all its takes with this
    interface."""
    control = str(newest.facts["learns"])
    position = "slider" if control == "slider" else "dial"
    rows = ctx.session.scalars(
        select(Take)
        .where(
            Take.rig_id == ctx.rig.id,
            Take.purpose == "dial",
            Take.fault.is_(None),
            Take.discarded.is_(False),
        )
        .order_by(Take.id)
    )
    takes = []
    for row in rows:
        if (
            row.facts.get("learns") != control
            or row.facts.get("interface") != ctx.rig.interface.name
        ):
            continue
        power, _ = frames_of(samples_of(ctx.app, row), rate_hz=row.rate_hz)
        level, error = steady_level(power)
        takes.append(DialTake(float(row.facts[position]), level, error))
    if len({take.position for take in takes}) < 2:
        return
    try:
        taper = learn(takes)
    except ValueError as error:
        newest.fault = str(error)
        ctx.session.flush()
        return
    ctx.session.merge(
        TaperRow(interface_id=ctx.rig.interface_id, control=control, body=to_jsonable(taper))
    )
    ctx.session.flush()
