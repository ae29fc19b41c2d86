"""The watch beside what is live."""

from __future__ import annotations

from flask import Response

from obsidian_wren.service.noticing import telling
from obsidian_wren.service.page import views
from obsidian_wren.service.words import RequestModel
from obsidian_wren.web.answers import Route, state_answer, the_app


class WatchRequest(RequestModel):
    """Whether what happens to the rig is noticed while live."""

    on: bool


def watch(body: WatchRequest) -> Response:
    """Notice what happens to the rig while live, or do not."""
    telling.watch_live(the_app(), body.on)
    return state_answer()


def take_over() -> Response:
    """Let the rig stand as it was noticed."""
    telling.take_over(the_app())
    return state_answer()


def put_aside() -> Response:
    """Say no more of what was noticed until it has been gone."""
    telling.put_aside(the_app())
    return state_answer()


ROUTES: tuple[Route, ...] = (
    Route("put", "/noticing", watch, views.Overview),
    Route("post", "/noticing/take-over", take_over, views.Overview),
    Route("post", "/noticing/put-aside", put_aside, views.Overview),
)
