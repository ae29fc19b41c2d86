"""Situations."""

from __future__ import annotations

from flask import Response, jsonify
from pydantic import Field

from obsidian_wren.service.convert import convert
from obsidian_wren.service.page import views
from obsidian_wren.service.situations import comparing, following, keeping, switching
from obsidian_wren.service.words import RequestModel
from obsidian_wren.web import models
from obsidian_wren.web.answers import Route, state_answer, the_app


class SituationName(RequestModel):
    """What a situation is called."""

    name: str = Field(max_length=80)


class FollowRequest(RequestModel):
    """The listener that a situation follows, by its key; null for none."""

    listener: str | None = Field(default=None, max_length=40)


class HoldOff(RequestModel):
    """Whether nothing follows by itself for now."""

    on: bool


class TwoSituations(RequestModel):
    """Two situations by their ids; 0 is how it is now."""

    first: int = Field(ge=0, lt=2**31)
    second: int = Field(ge=0, lt=2**31)


def make(body: SituationName) -> Response:
    """Make a situation from how it is now."""
    keeping.make(the_app(), body.name)
    return state_answer()


def rename(path: models.ById, body: SituationName) -> Response:
    """Call a situation otherwise."""
    keeping.rename(the_app(), path.id, body.name)
    return state_answer()


def renew(path: models.ById) -> Response:
    """Make a situation what is decided now."""
    keeping.renew(the_app(), path.id)
    return state_answer()


def remove(path: models.ById) -> Response:
    """Forget a situation."""
    keeping.remove(the_app(), path.id)
    return state_answer()


def use(path: models.ById) -> Response:
    """Put a situation in force."""
    switching.use(the_app(), path.id)
    return state_answer()


def use_next() -> Response:
    """Put the next situation in force."""
    switching.use_next(the_app())
    return state_answer()


def follow(path: models.ById, body: FollowRequest) -> Response:
    """Use a situation while a listener is recorded."""
    keeping.follow_listener(the_app(), path.id, body.listener)
    return state_answer()


def hold_off(body: HoldOff) -> Response:
    """Let nothing follow by itself for now, or let it again."""
    following.hold_off(the_app(), body.on)
    return state_answer()


def compare(path: TwoSituations) -> Response:
    """Two situations side by side."""
    found = the_app().work(comparing.compare, path.first, path.second)
    return jsonify(convert(views.SituationsComparedView, found).model_dump())


ROUTES: tuple[Route, ...] = (
    Route("post", "/situations", make, views.Overview),
    Route("post", "/situations/next", use_next, views.Overview),
    Route("put", "/situations/hold-off", hold_off, views.Overview),
    Route("patch", "/situations/<int:id>", rename, views.Overview),
    Route("delete", "/situations/<int:id>", remove, views.Overview),
    Route("post", "/situations/<int:id>/renew", renew, views.Overview),
    Route("post", "/situations/<int:id>/use", use, views.Overview),
    Route("put", "/situations/<int:id>/follow", follow, views.Overview),
    Route(
        "get",
        "/situations/<int:first>/against/<int:second>",
        compare,
        views.SituationsComparedView,
    ),
)
