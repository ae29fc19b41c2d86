"""Rig: the rig in hand, its things, its gain controls, what it should give."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from obsidian_wren.core.decibels import power_db
from obsidian_wren.core.derive import verdicts
from obsidian_wren.core.derive.capsule import spl_of_dbfs
from obsidian_wren.core.derive.expectation import HeardLevels, outlook
from obsidian_wren.core.derive.gain_controls import GainControl
from obsidian_wren.core.derive.reasons import Value
from obsidian_wren.core.derive.taper import Taper, spoken
from obsidian_wren.core.wording import _
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.convert import convert
from obsidian_wren.service.page import views
from obsidian_wren.service.readings import staleness
from obsidian_wren.service.rig import hardware_rows
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.gain_controls import gain_controls
from obsidian_wren.store.models import (
    InterfaceRow,
    MicrophoneRow,
    Reading,
    Response,
    Rig,
    RoomRow,
    Take,
)


def rig_view(app: AppContext, rig: Rig) -> views.RigView:
    """The rig in hand."""
    names = app.world.things_of(rig.spec_json) if rig.source == "simulated" else ()
    return convert(
        views.RigView,
        rig,
        absolute_gain=hardware_rows.has_absolute_gain(rig),
        things=[views.ThingView(name=name, on=name not in rig.things_off) for name in names],
    )


def rig_name(rig: Rig) -> views.RigName:
    """A kept rig by its name and what it is made of."""
    made_of = _(
        "{name} through {name_2}, {name_3}",
        name=rig.microphone.name,
        name_2=rig.interface.name,
        name_3=rig.room.name,
    )
    return views.RigName(id=rig.id, name=rig.name, made_of=made_of)


def rig_names(session: Session) -> list[views.RigName]:
    """Every kept rig."""
    return [rig_name(row) for row in session.scalars(select(Rig).order_by(Rig.id))]


def kept_things(session: Session) -> dict[str, Any]:
    """The kept microphones, interfaces and rooms, under the names of their fields."""
    return {
        "microphones": [
            microphone_view(session, row)
            for row in session.scalars(select(MicrophoneRow).order_by(MicrophoneRow.id))
        ],
        "interfaces": [
            convert(views.InterfaceView, row)
            for row in session.scalars(select(InterfaceRow).order_by(InterfaceRow.id))
        ],
        "rooms": [
            convert(views.RoomView, row)
            for row in session.scalars(select(RoomRow).order_by(RoomRow.id))
        ],
    }


def microphone_view(session: Session, row: MicrophoneRow) -> views.MicrophoneView:
    """A kept microphone."""
    response = session.get(Response, row.response_id) if row.response_id is not None else None
    return convert(
        views.MicrophoneView,
        row,
        response_name=response.name if response else None,
        response_points=[r[:2] for r in response.rows] if response else [],
    )


def controls(ctx: RigContext) -> list[views.ControlView]:
    """The gain controls in signal order."""
    return [_control(control) for control in gain_controls(ctx)]


def _control(control: GainControl) -> views.ControlView:
    taper = control.taper
    learned = [] if taper is None else [list(row) for row in zip(*_columns(taper), strict=True)]
    return convert(
        views.ControlView,
        control,
        title=control.label,
        step=control.step or 1.0,
        spoken=spoken(control.position, control.unit),
        db_per_unit=None if taper is None else taper.db_per_unit,
        error_db=None if taper is None else taper.error_db,
        learned=learned,
    )


def _columns(taper: Taper) -> tuple[tuple[float, ...], ...]:
    return taper.positions, taper.gains_db, taper.errors_db


def outlook_view(ctx: RigContext, present: Mapping[str, Value]) -> views.OutlookView:
    """What the rig should give, and what takes that still hold told of it."""
    rig, heard = ctx.rig, _heard(ctx, present)
    gain = rig.gain_db if hardware_rows.has_absolute_gain(rig) else None
    found = outlook(
        hardware_rows.microphone_of(rig),
        hardware_rows.interface_of(rig),
        hardware_rows.room_of(rig),
        hardware_rows.placement_of(rig),
        gain_db=gain,
        phantom_on=rig.phantom_on,
        pad_on=rig.pad_on,
        heard=heard,
    )
    facts = verdicts.heard_facts(
        floor_dba=heard.floor_dba,
        expected_floor_dba=found.expected_floor_dba,
        talk_dba=heard.talk_dba,
        expected_talk_dba=found.expected_talk_db_spl,
    )
    return convert(views.OutlookView, found, facts=facts)


def _heard(ctx: RigContext, present: Mapping[str, Value]) -> HeardLevels:
    """What the newest takes told at the capsule, where the figures of the path are known."""

    def at_capsule(take: Take | None, level: Callable[[Mapping[str, Any]], float]) -> float | None:
        reading = None if take is None else ctx.session.get(Reading, take.id)
        if take is None or reading is None or staleness.stale_take(take, present):
            return None
        if not hardware_rows.has_absolute_gain(ctx.rig):
            return None
        return spl_of_dbfs(
            level(reading.body),
            hardware_rows.microphone_of(ctx.rig),
            hardware_rows.interface_of(ctx.rig),
            take.gain_db,
            pad_on=bool(take.facts.get("pad_on")),
        )

    def active(body: Mapping[str, Any]) -> float:
        # The pauses hold next to nothing, so what is left is spread over the time of speech.
        return float(body["a_weighted_dbfs"]) - power_db(max(float(body["activity"]), 1e-3))

    return HeardLevels(
        floor_dba=at_capsule(ctx.takes.quiet, lambda body: float(body["a_weighted_dbfs"])),
        talk_dba=at_capsule(ctx.takes.talk, active),
    )
