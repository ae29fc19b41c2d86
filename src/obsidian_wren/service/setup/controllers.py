"""Knobs and pads: what a person bound to the messages of a controller."""

from __future__ import annotations

from typing import Any

from pydantic import Field
from sqlalchemy import select
from sqlalchemy.orm import Session

from obsidian_wren.core.chain.sequence import title_of, with_stage
from obsidian_wren.core.wording import _
from obsidian_wren.formats.outside import RowId
from obsidian_wren.service.calibration.chain_order import order_of
from obsidian_wren.service.calibration.setting_rows import setting_row, setting_title
from obsidian_wren.service.changes.record import change
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.rig.context import RigContext
from obsidian_wren.service.rig.rigs import in_hand
from obsidian_wren.service.words import ControlDoes, ControlKind, RequestModel
from obsidian_wren.store.models import Clip, ControlBinding, Situation

FORMAT = "obsidian-wren/controllers"
_MOST = 200
_WORDS = {
    "mute": _("Mute every feed"),
    "talk": _("Push to talk"),
    "live": _("Go live, or stop"),
    "record": _("Record, or stop"),
}


class Control(RequestModel):
    """A knob or a pad by the message that it sends. Channels count from 1, as on the devices."""

    device: str = Field(min_length=1, max_length=120)
    kind: ControlKind
    channel: int = Field(ge=1, le=16)
    number: int = Field(ge=0, le=127)


class Does(RequestModel):
    """What a knob or pad does: turn a setting, switch a stage, play a clip, use a situation (the
    next one where none is named), and the rest."""

    do: ControlDoes
    stage: str | None = Field(default=None, max_length=20)
    name: str | None = Field(default=None, max_length=40)
    clip: RowId | None = None
    situation: RowId | None = None


def bind(app: AppContext, control: Control, does: Does) -> None:
    """Bind a knob or pad; what it did before is forgotten. Raises Refused."""
    with app.sessions() as session:
        title = title_of_action(in_hand(app, session), does.model_dump())
    with change(app, _("Assigned a control to {title}", title=title)) as session:
        rows = list(session.scalars(select(ControlBinding)))
        row = next((one for one in rows if _of(one) == control), None)
        if row is None and len(rows) >= _MOST:
            raise Refused(
                "no-more",
                _("{most} controls are already assigned. Release one first.", most=_MOST),
            )
        if row is None:
            row = ControlBinding(**control.model_dump())
            session.add(row)
        row.action = does.model_dump(exclude_none=True)
    app.changed()


def let_go(app: AppContext, binding_id: int) -> None:
    """Forget what a knob or pad does. Raises Refused."""
    with change(app, _("Released a control")) as session:
        row = session.get(ControlBinding, binding_id)
        if row is None:
            raise Refused("no-control", _("This control is no longer assigned."))
        session.delete(row)
    app.changed()


def bindings(session: Session) -> list[ControlBinding]:
    """What is bound, device by device."""
    return list(
        session.scalars(
            select(ControlBinding).order_by(
                ControlBinding.device,
                ControlBinding.kind,
                ControlBinding.channel,
                ControlBinding.number,
            )
        )
    )


def title_of_action(ctx: RigContext, action: dict[str, Any]) -> str:
    """What an action is called. Raises Refused for one that names nothing."""
    does, stage = action["do"], action.get("stage")
    if does in _WORDS:
        return _WORDS[does]
    if does == "clip":
        clip = ctx.session.get(Clip, action.get("clip") or 0)
        if clip is None:
            raise Refused("no-clip", _("This clip is no longer there. Choose another one."))
        return _("Clip {name}", name=clip.name)
    if does == "situation":
        return _situation_title(ctx, action.get("situation"))
    if stage is None:
        raise Refused("no-stage", _("Name the stage this is for."))
    if stage not in order_of(ctx.rig):
        raise Refused("no-stage", _("This stage is no longer in the chain. Choose another one."))
    if does == "stage":
        return _("{title_of} on or off", title_of=title_of(stage))
    row = setting_row(ctx, stage, str(action.get("name")))
    if row is None:
        raise Refused(
            "no-setting",
            _("There is no such setting yet. First record what it is derived from."),
        )
    return with_stage(stage, setting_title(row))


def _situation_title(ctx: RigContext, situation_id: int | None) -> str:
    if situation_id is None:
        return _("The next situation")
    row = ctx.session.get(Situation, situation_id)
    if row is None:
        raise Refused("no-situation", _("This situation is no longer stored. Choose another one."))
    return _("Situation {name}", name=row.name)


def as_file(app: AppContext) -> dict[str, Any]:
    """What is bound, as an open file."""
    with app.sessions() as session:
        return {
            "format": FORMAT,
            "version": 1,
            "bindings": [
                {**_of(row).model_dump(), "action": row.action} for row in bindings(session)
            ],
        }


def _of(row: ControlBinding) -> Control:
    return Control.model_validate(
        {"device": row.device, "kind": row.kind, "channel": row.channel, "number": row.number}
    )
