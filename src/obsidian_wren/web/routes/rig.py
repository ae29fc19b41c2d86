"""Rig: what a person says of it, the things it is made of, its controls, response files."""

from __future__ import annotations

from typing import Any, Literal

from flask import Response
from flask_openapi3 import FileStorage
from pydantic import Field

from obsidian_wren.service import words
from obsidian_wren.service.export import exporting
from obsidian_wren.service.page import views
from obsidian_wren.service.rig import fields
from obsidian_wren.service.setup import responses, rig_changes, things, turning
from obsidian_wren.service.words import Control, KeptKind, RequestModel, RowId
from obsidian_wren.web import limits, models
from obsidian_wren.web.answers import Route, state_answer, the_app, uploaded


class ResponseUpload(RequestModel):
    """A microphone's response file."""

    file: FileStorage


class TurnRequest(RequestModel):
    """Where a control is turned to, in its own unit."""

    control: Control
    position: float = Field(ge=-100, le=100)


class SwitchThing(RequestModel):
    """Something in the simulated room is switched."""

    name: str = Field(max_length=80)
    on: bool


class OfKind(RequestModel):
    """One kept thing."""

    kind: KeptKind
    id: RowId


class Named(RequestModel):
    """A name."""

    name: str = Field(min_length=1, max_length=80)


class WhatResponse(RequestModel):
    """Which response to hand out."""

    what: Literal["microphone", "correction"]


def change_rig(body: fields.RigFields) -> Response:
    """Keep what a person says about the rig."""
    rig_changes.change_rig(the_app(), body)
    return state_answer()


def turn(body: TurnRequest) -> Response:
    """Turn a gain control."""
    turning.turn(the_app(), body.control, body.position)
    return state_answer()


def switch_thing(body: SwitchThing) -> Response:
    """Switch something in the simulated room."""
    turning.switch_thing(the_app(), body.name, body.on)
    return state_answer()


def add_microphone(body: fields.MicrophoneFields) -> Response:
    """Keep a new microphone and use it."""
    return _keep("microphone", body, None)


def change_microphone(path: models.ById, body: fields.MicrophoneFields) -> Response:
    """Change a kept microphone."""
    return _keep("microphone", body, path.id)


def add_interface(body: fields.InterfaceFields) -> Response:
    """Keep a new interface and use it."""
    return _keep("interface", body, None)


def change_interface(path: models.ById, body: fields.InterfaceFields) -> Response:
    """Change a kept interface."""
    return _keep("interface", body, path.id)


def add_room(body: fields.RoomFields) -> Response:
    """Keep a new room and use it."""
    return _keep("room", body, None)


def change_room(path: models.ById, body: fields.RoomFields) -> Response:
    """Change a kept room."""
    return _keep("room", body, path.id)


def _keep(kind: words.KeptKind, body: Any, thing_id: int | None) -> Response:
    things.keep_thing(the_app(), kind, body, thing_id)
    return state_answer()


def remove_thing(path: OfKind) -> Response:
    """Forget a kept thing that no rig is made of."""
    things.remove_thing(the_app(), path.kind, path.id)
    return state_answer()


def add_rig(body: Named) -> Response:
    """Keep a further rig, like the one in hand, and take it in hand."""
    things.add_rig(the_app(), body.name)
    return state_answer()


def use_rig(path: models.ById) -> Response:
    """Take another rig in hand."""
    things.use_rig(the_app(), path.id)
    return state_answer()


def remove_rig(path: models.ById) -> Response:
    """Forget a rig without takes."""
    things.remove_rig(the_app(), path.id)
    return state_answer()


def import_response(form: ResponseUpload) -> Response:
    """Keep a response file with the rig's microphone."""
    with uploaded(form.file) as (path, name):
        responses.import_response(the_app(), path, name)
    return state_answer()


def remove_response() -> Response:
    """Use the microphone without a response file."""
    rig_changes.detach_response(the_app())
    return state_answer()


def export_response(query: WhatResponse) -> Response:
    """The microphone's response, or the fitted correction, as two-column text."""
    name, text = the_app().work(exporting.export_response, query.what)
    return Response(
        text,
        mimetype="text/plain",
        headers={"Content-Disposition": f'attachment; filename="{_plain_name(name)}"'},
    )


def _plain_name(name: str) -> str:
    return "".join(c if c.isascii() and (c.isalnum() or c in " .-") else "-" for c in name)


ROUTES: tuple[Route, ...] = (
    Route("put", "/rig", change_rig, views.Overview),
    Route("post", "/controls", turn, views.Overview),
    Route("post", "/things", switch_thing, views.Overview),
    Route("post", "/microphones", add_microphone, views.Overview),
    Route("put", "/microphones/<int:id>", change_microphone, views.Overview),
    Route("post", "/interfaces", add_interface, views.Overview),
    Route("put", "/interfaces/<int:id>", change_interface, views.Overview),
    Route("post", "/rooms", add_room, views.Overview),
    Route("put", "/rooms/<int:id>", change_room, views.Overview),
    Route("delete", "/kept/<kind>/<int:id>", remove_thing, views.Overview),
    Route("post", "/rigs", add_rig, views.Overview),
    Route("post", "/rigs/<int:id>/use", use_rig, views.Overview),
    Route("delete", "/rigs/<int:id>", remove_rig, views.Overview),
    Route("post", "/response", import_response, views.Overview, limits.TEXT),
    Route("delete", "/response", remove_response, views.Overview),
    Route("get", "/response", export_response, None),
)
