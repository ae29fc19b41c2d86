"""The page that listens as a call would."""

from __future__ import annotations

from flask import Response, jsonify
from pydantic import BaseModel, Field

from obsidian_wren.core.mix.verdict import Verdict
from obsidian_wren.service import live
from obsidian_wren.service.send import listening_page
from obsidian_wren.service.words import RateHz, RequestModel
from obsidian_wren.web import limits, models
from obsidian_wren.web.answers import Route, piece, the_app


class BeginListening(RequestModel):
    """The input that the page picked, by its label, and its rate."""

    label: str = Field(max_length=200)
    rate_hz: RateHz


class PageProof(BaseModel):
    """What of the newest marker arrived at the page: the feed whose code it was."""

    feed: str | None
    good: bool
    verdicts: list[Verdict]


class ListenerState(BaseModel):
    """The page that listens, as it is known here; ``live``: whether anything is sent;
    ``simulated``: the feeds are none that a browser could pick."""

    simulated: bool
    label: str | None
    level_dbfs: float | None
    live: bool
    marker: bool
    feeds: list[str]
    proof: PageProof | None


def state() -> Response:
    """What arrives, and what was proved of it."""
    app = the_app()
    page, now = listening_page.current(app).page, live.current(app)
    run = now.running
    return jsonify(
        ListenerState(
            simulated=app.world.system is None,
            label=None if page is None else page.label,
            level_dbfs=None if page is None else page.shown_dbfs,
            live=run is not None,
            marker=run is not None and run.marker_in_flight,
            feeds=[] if run is None else [s.own_feed for s in run.seats if s.own_feed is not None],
            proof=None if page is None or page.proof is None else PageProof(**page.proof),
        ).model_dump()
    )


def begin(body: BeginListening) -> Response:
    """A page begins to listen."""
    listening_page.begin(the_app(), body.label, body.rate_hz)
    return jsonify(ok=True)


def push() -> Response:
    """The next piece of what it hears: little-endian 32-bit floats."""
    listening_page.push(the_app(), piece())
    return jsonify(ok=True)


def end() -> Response:
    """It listens no more."""
    listening_page.end(the_app())
    return jsonify(ok=True)


ROUTES: tuple[Route, ...] = (
    Route("get", "/listener", state, ListenerState),
    Route("post", "/listener", begin, models.Acknowledgement),
    Route("post", "/listener/piece", push, models.Acknowledgement, limits.PIECE),
    Route("post", "/listener/end", end, models.Acknowledgement),
)
