"""What is bound to knobs and pads."""

from __future__ import annotations

import json

from flask import Response
from pydantic import Field

from obsidian_wren.service.page import views
from obsidian_wren.service.setup import controllers
from obsidian_wren.service.words import ControlDoes, ControlKind, RequestModel, RowId
from obsidian_wren.web import models
from obsidian_wren.web.answers import Route, attached, state_answer, the_app


class Bind(RequestModel):
    """A knob or pad by its message, and what it does."""

    device: str = Field(min_length=1, max_length=120)
    kind: ControlKind
    channel: int = Field(ge=1, le=16)
    number: int = Field(ge=0, le=127)
    do: ControlDoes
    stage: str | None = Field(default=None, max_length=20)
    name: str | None = Field(default=None, max_length=40)
    clip: RowId | None = None
    situation: RowId | None = None


def bind(body: Bind) -> Response:
    """Bind a knob or pad."""
    control = controllers.Control(
        device=body.device, kind=body.kind, channel=body.channel, number=body.number
    )
    does = controllers.Does(
        do=body.do, stage=body.stage, name=body.name, clip=body.clip, situation=body.situation
    )
    controllers.bind(the_app(), control, does)
    return state_answer()


def let_go(path: models.ById) -> Response:
    """Forget what a knob or pad does."""
    controllers.let_go(the_app(), path.id)
    return state_answer()


def bindings_file() -> Response:
    """What is bound, as an open file."""
    body = json.dumps(controllers.as_file(the_app()), indent=2, ensure_ascii=False)
    return attached(body + "\n", "controllers.json", "application/json")


ROUTES: tuple[Route, ...] = (
    Route("put", "/bindings", bind, views.Overview),
    Route("delete", "/bindings/<int:id>", let_go, views.Overview),
    Route("get", "/bindings/file", bindings_file, None),
)
