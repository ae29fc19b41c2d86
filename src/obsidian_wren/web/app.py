"""The Flask application: the API and the event stream.

The page itself is served by the front.
"""

from __future__ import annotations

import logging
from collections.abc import Callable
from contextlib import suppress
from typing import Any

from flask import Response, current_app, jsonify, request
from flask_compress import Compress
from flask_openapi3 import APIBlueprint, Info, OpenAPI
from pydantic import BaseModel, ValidationError
from werkzeug.exceptions import HTTPException

from obsidian_wren.core.told import Told
from obsidian_wren.core.wording import _
from obsidian_wren.service.calibration import catching_up
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.live import living
from obsidian_wren.service.mixes import clips
from obsidian_wren.service.noticing import listening
from obsidian_wren.service.opening import checking
from obsidian_wren.service.setup import seeing
from obsidian_wren.service.situations import following
from obsidian_wren.service.words import UNSTORABLE
from obsidian_wren.web import guard, models, waiting
from obsidian_wren.web.answers import Route, the_app
from obsidian_wren.web.limits import SOUND, know, largest_body
from obsidian_wren.web.routes import (
    calibration,
    carry,
    computer,
    controllers,
    listener,
    live,
    noticing,
    prove,
    recording,
    rig,
    send,
    situations,
    state,
    system,
    takes,
)

BLUEPRINTS: dict[str, tuple[Route, ...]] = {
    "state": state.ROUTES,
    "rig": rig.ROUTES,
    "computer": computer.ROUTES,
    "takes": takes.ROUTES,
    "calibration": calibration.ROUTES,
    "send": send.ROUTES,
    "situations": situations.ROUTES,
    "noticing": noticing.ROUTES,
    "system": system.ROUTES,
    "listener": listener.ROUTES,
    "live": live.ROUTES,
    "recording": recording.ROUTES,
    "prove": prove.ROUTES,
    "carry": carry.ROUTES,
    "controllers": controllers.ROUTES,
}
ROUTES = tuple(route for routes in BLUEPRINTS.values() for route in routes)
know((route.method, route.path, route.limit) for route in ROUTES)

_LOG = logging.getLogger(__name__)
_PROBLEMS: dict[Any, Any] = {422: models.Problem}
# The page's cookie does the same.
_SCHEMES: dict[str, Any] = {"token": {"type": "http", "scheme": "bearer"}}


def _blueprints(*, describe: bool) -> list[APIBlueprint]:
    """All routes, a blueprint a step.

    Describing them (the OpenAPI document) takes longer than serving them, so it is done only when
    asked for.
    """
    found = []
    described: set[str] = set()
    for name, routes in BLUEPRINTS.items():
        api = APIBlueprint(
            name, __name__, url_prefix="/api", abp_responses=_PROBLEMS, doc_ui=describe
        )
        for route in routes:
            responses = None if route.answer is None else {200: _described(route.answer, described)}
            add = getattr(api, route.method)
            add(route.path, responses=responses, doc_ui=describe)(route.handler)
        found.append(api)
    return found


def _described(answer: type[BaseModel], before: set[str]) -> Any:
    """An answer's model, or a reference where a route ``before`` had it already."""
    name = answer.__name__
    if name not in before:
        before.add(name)
        return answer
    schema = {"$ref": f"#/components/schemas/{name}"}
    return {"description": "OK", "content": {"application/json": {"schema": schema}}}


def _on_invalid(error: ValidationError) -> Response:
    first = error.errors()[0]
    where = ".".join(str(part) for part in first["loc"])
    if first["type"] == UNSTORABLE:
        sentence = first["msg"]
    elif where and not first["type"].startswith("model"):
        sentence = _("“{where}”: {msg}. Fix it and try again.", where=where, msg=first["msg"])
    else:
        # Of what is no record at all the message would name ours.
        sentence = _NO_SENSE
    response = jsonify(code="invalid", sentence=sentence)
    response.status_code = 422
    return response


def _on_too_large(_error: Exception) -> tuple[Response, int]:
    return jsonify(
        code="too-large", sentence=largest_body(request.method, request.path).sentence
    ), 413


# Shorter ones fit into one or two packets anyway; more effort gains a few in a hundred and takes
# three times as long.
_PACKING = {
    "COMPRESS_ALGORITHM": ["gzip"],
    "COMPRESS_STREAMS": False,
    "COMPRESS_LEVEL": 5,
    "COMPRESS_MIN_SIZE": 2000,
    "COMPRESS_MIMETYPES": ["application/json", "text/html", "image/svg+xml", "text/plain"],
}


def create_app(
    app: AppContext | None,
    *,
    describe: bool = False,
    begin_again: Callable[[], None] = lambda: None,
) -> OpenAPI:
    """The web application over a context; None serves for making the OpenAPI document.
    ``begin_again``: ends the program, which begins again in another language."""
    flask_app = OpenAPI(
        "obsidian_wren",
        info=Info(title="Obsidian Wren", version="1"),
        static_folder=None,
        doc_ui=False,
        validation_error_callback=_on_invalid,
        security_schemes=_SCHEMES,
    )
    flask_app.config["APP"] = app
    flask_app.config["BEGIN_AGAIN"] = begin_again
    flask_app.config["MAX_CONTENT_LENGTH"] = SOUND.largest
    flask_app.config["MAX_FORM_MEMORY_SIZE"] = 1_000_000
    guard.install(flask_app)
    flask_app.before_request(_require_folder)
    waiting.install(flask_app)
    flask_app.config.update(_PACKING)
    Compress(flask_app)
    for api in _blueprints(describe=describe):
        flask_app.register_api(api)
    flask_app.register_error_handler(413, _on_too_large)
    flask_app.register_error_handler(Exception, _on_error)

    return flask_app


_NOT_HERE = _("There is nothing under this address. Load the page again.")
_HTTP = {
    404: _NOT_HERE,
    405: _("This address does not allow that. Load the page again."),
    415: _("This was not sent as JSON. Send it as application/json."),
}
_NO_SENSE = _("The request cannot be understood. Send it again, as the page does.")


def _on_error(error: Exception) -> Any:
    if isinstance(error, HTTPException):
        return jsonify(code="http", sentence=_HTTP.get(error.code or 0, _NO_SENSE)), error.code
    gone = _gone_folder()
    if gone is not None:
        current_app.logger.warning("The data folder is gone", exc_info=error)
        return jsonify(code=gone.code, sentence=str(gone)), 422
    if isinstance(error, Told):
        _keep_what_it_tells(error)
        return jsonify(code=error.code, sentence=str(error)), 422
    if isinstance(error, (UnicodeError, RecursionError, OverflowError)):
        # Letters that are none, brackets without end, numbers that no machine holds.
        current_app.logger.warning("A request makes no sense", exc_info=error)
        return jsonify(code="invalid", sentence=_NO_SENSE), 422
    current_app.logger.error("A request failed", exc_info=error)
    return (
        jsonify(
            code="inside",
            sentence=(
                _(
                    "An internal error occurred; nothing that was saved is lost. Try again, or"
                    " restart the program."
                )
            ),
        ),
        500,
    )


def _require_folder() -> None:
    """Whatever is asked to be done would be done in no folder, or in one that nobody looks into.
    What is only looked at is still there."""
    if request.method not in ("GET", "HEAD"):
        the_app().folder.require_there()


def _gone_folder() -> Told | None:
    """What is told where the data folder itself is gone, whatever failed because of that."""
    try:
        the_app().folder.require_there()
    except Told as gone:
        return gone
    return None


def _keep_what_it_tells(error: Told) -> None:
    """A sound that is found lost is marked, so that what is asked next does without it."""
    if error.code == "sound-lost":
        from obsidian_wren.service.readings.lost_sounds import note_lost

        with suppress(Told):
            note_lost(the_app(), error)  # type: ignore[arg-type]


def _go_on(app: AppContext) -> None:
    seeing.start_seeing(app)
    living.resume_run(app)


def _get_ready(app: AppContext) -> None:
    living.get_ready(app)


def _begin_worker(app: AppContext) -> None:
    if app.worker is not None:
        app.worker.get_ready()


def _catch_up(app: AppContext) -> None:
    catching_up.start_catching_up(app)


def _follow(app: AppContext) -> None:
    following.start_following(app)
    listening.start_noticing(app)


def _lay_out(app: AppContext) -> None:
    clips.ship(app)


def _check_sounds(app: AppContext) -> None:
    checking.check_sounds(app)


def warm_up(app: AppContext) -> None:
    """Go on being live where that was so, before anything else; then load what computes, and lay
    out the clips."""
    for part in (_go_on, _get_ready, _begin_worker, _catch_up, _follow, _lay_out, _check_sounds):
        try:
            part(app)
        except Told as error:
            app.bus.tell("trouble", {"sentence": str(error)})
        except Exception:
            # Nobody waits for it; what it would have done can be asked for.
            _LOG.exception("A part of warming up failed")
