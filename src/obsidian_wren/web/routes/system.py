"""This computer's own system: names of feeds, programs that are moved, headphones, the return."""

from __future__ import annotations

from flask import Response
from pydantic import Field

from obsidian_wren.service.page import views
from obsidian_wren.service.send import feeds
from obsidian_wren.service.words import RequestModel
from obsidian_wren.web.answers import Route, state_answer, the_app
from obsidian_wren.web.routes.send import ByKey


class NameFeed(RequestModel):
    """Another name for a feed; null for the usual one."""

    title: str | None = Field(default=None, max_length=80)


class StayFeeds(RequestModel):
    """Whether the feeds stay in the system when the program ends."""

    stay: bool


class ProgramByIndex(RequestModel):
    """A program that records, by its stream."""

    index: int = Field(ge=0, lt=2**32)


class MoveProgram(RequestModel):
    """The feed that it is to hear."""

    to: str = Field(max_length=40)


class ChooseOutput(RequestModel):
    """An output of the computer; null for none."""

    device_id: str | None = Field(default=None, max_length=200)


class ChooseReturn(RequestModel):
    """A program that plays, by its stream; null for none."""

    index: int | None = Field(default=None, ge=0, lt=2**32)


def name_feed(path: ByKey, body: NameFeed) -> Response:
    """Give a feed another name."""
    feeds.name_feed(the_app(), path.key, body.title)
    return state_answer()


def stay_feeds(body: StayFeeds) -> Response:
    """Let the feeds stay in the system when the program ends, or not."""
    feeds.keep_feeds(the_app(), body.stay)
    return state_answer()


def move_program(path: ProgramByIndex, body: MoveProgram) -> Response:
    """Let a program that records hear a feed."""
    feeds.move_listener(the_app(), path.index, body.to)
    return state_answer()


def choose_output(path: ByKey, body: ChooseOutput) -> Response:
    """Say which output the headphones are on."""
    feeds.choose_output(the_app(), path.key, body.device_id)
    return state_answer()


def choose_return(path: ByKey, body: ChooseReturn) -> Response:
    """Take what a program plays as the return."""
    feeds.choose_return(the_app(), path.key, body.index)
    return state_answer()


ROUTES: tuple[Route, ...] = (
    Route("put", "/destinations/<key>/feed", name_feed, views.Overview),
    Route("put", "/destinations/<key>/output", choose_output, views.Overview),
    Route("put", "/destinations/<key>/return", choose_return, views.Overview),
    Route("put", "/feeds/stay", stay_feeds, views.Overview),
    Route("post", "/programs/<int:index>/move", move_program, views.Overview),
)
