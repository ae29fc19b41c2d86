"""The state and its events; undo and redo."""

from __future__ import annotations

import json
import queue
import time
from collections.abc import Callable, Iterator
from typing import Any

from flask import Response, current_app, jsonify, request

from obsidian_wren.service.context import AppContext
from obsidian_wren.service.context.bus import END
from obsidian_wren.service.page import views
from obsidian_wren.service.page.memory import memory as held
from obsidian_wren.service.undo import put_back
from obsidian_wren.service.words import RequestModel
from obsidian_wren.web.answers import Route, state_answer, the_app
from obsidian_wren.web.front import page_language

_HEARTBEAT_S = 5.0
_LOOK_EVERY_S = 1.0


def state() -> Response:
    """Everything that the page shows."""
    return state_answer()


class EventsQuery(RequestModel):
    """Whether what is measured is told too: ``frame`` and ``live``."""

    measured: bool = True


def events(query: EventsQuery) -> Response:
    """Server-sent events:

    ``hello`` with the newest change and the language of the page first; then ``changed``,
    ``progress``, ``frame`` twenty times a second while sound runs, ``live``, ``trouble``, and
    ``still`` where nothing else comes, so that silence means that the program is gone.
    """
    headers = {"Cache-Control": "no-store"}
    if request.method == "HEAD":
        return Response(mimetype="text/event-stream", headers=headers)
    app = the_app()
    listener = app.bus.listen(measured=query.measured)
    response = Response(
        _stream(app, listener, request.environ), mimetype="text/event-stream", headers=headers
    )
    # Also where nobody ever read the first line.
    response.call_on_close(lambda: app.bus.leave(listener))
    return response


def _stream(
    app: AppContext, listener: queue.Queue[tuple[str, dict[str, Any]]], environ: dict[str, Any]
) -> Iterator[str]:
    is_gone: Callable[[], bool] = environ.get("waitress.client_disconnected", lambda: False)
    hello = json.dumps({"revision": app.revision, "language": page_language()})
    yield f"retry: 1000\nevent: hello\ndata: {hello}\n\n"
    beat_s = time.monotonic()
    while True:
        try:
            kind, body = listener.get(timeout=_LOOK_EVERY_S)
        except queue.Empty:
            if is_gone():
                return
            if time.monotonic() - beat_s < _HEARTBEAT_S:
                continue
            kind, body = "still", {}
        if kind == END:
            return
        beat_s = time.monotonic()
        yield f"event: {kind}\ndata: {json.dumps(body)}\n\n"


def memory() -> Response:
    """What the program holds in memory."""
    return jsonify(held(the_app()).model_dump())


class LanguageInput(RequestModel):
    """A language, by its tag."""

    language: str


def choose_language(body: LanguageInput) -> Response:
    """Speak another language: the program begins again in it, and listeners go on hearing."""
    # Only asked for once in a while.
    from obsidian_wren.service.opening.language import choose_language as choose

    choose(the_app(), body.language)
    current_app.config["BEGIN_AGAIN"]()
    return state_answer()


def undo() -> Response:
    """Take the newest change back."""
    return state_answer(chain_only=put_back.undo(the_app()))


def redo() -> Response:
    """Make it again."""
    return state_answer(chain_only=put_back.redo(the_app()))


ROUTES: tuple[Route, ...] = (
    Route("get", "/state", state, views.Overview),
    Route("get", "/events", events, None),
    Route("get", "/memory", memory, views.MemoryView),
    Route("post", "/language", choose_language, views.Overview),
    Route("post", "/undo", undo, views.Overview),
    Route("post", "/redo", redo, views.Overview),
)
