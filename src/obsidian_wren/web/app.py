"""The Flask application: the API and the event stream. The page itself is served by the front.

Handlers reach the services inside their bodies: importing what computes takes longer than serving the page, so it happens behind
the first page (:func:`warm_up`), not in front of it.
"""

from __future__ import annotations

import json
import logging
import queue
import time
from collections.abc import Callable, Iterator
from contextlib import suppress
from typing import Any, Literal

from flask import Response, current_app, jsonify, request
from flask_openapi3 import APIBlueprint, FileStorage, Info, OpenAPI
from pydantic import BaseModel, Field, ValidationError
from werkzeug.exceptions import HTTPException

from obsidian_wren.core.told import Told
from obsidian_wren.service import views
from obsidian_wren.service.said import Said
from obsidian_wren.service.workshop import END, Workshop
from obsidian_wren.web import chain, guard, models, send
from obsidian_wren.web.answers import state_answer, uploaded, workshop
from obsidian_wren.web.limits import LARGEST_SOUND, largest_body
from obsidian_wren.web.send import piece

_LOG = logging.getLogger(__name__)
_HEARTBEAT_S = 5.0
_LOOK_EVERY_S = 1.0
_PROBLEMS: dict[Any, Any] = {422: models.Problem}
# The page's cookie does the same.
_SCHEMES: dict[str, Any] = {"token": {"type": "http", "scheme": "bearer"}}


class Upload(Said):
    """A sound file and what it is for."""

    file: FileStorage
    purpose: views.Purpose
    channel: int | None = Field(default=None, ge=1, le=8)
    position: float | None = Field(default=None, ge=-100, le=100)
    learns: Literal["preamp", "slider"] = "preamp"


class ResponseUpload(Said):
    """A microphone's response file."""

    file: FileStorage


def state() -> Response:
    """Everything that the page shows."""
    return state_answer()


def events() -> Response:
    """Server-sent events: ``hello`` with the newest change first; then ``changed``, ``progress``, ``frame`` twenty times a second while sound runs, ``live``, ``trouble``, and ``still`` where nothing else comes, so that silence means that the program is gone."""
    headers = {"Cache-Control": "no-store"}
    if request.method == "HEAD":
        return Response(mimetype="text/event-stream", headers=headers)
    ws = workshop()
    listener = ws.bus.listen()
    response = Response(_stream(ws, listener, request.environ), mimetype="text/event-stream", headers=headers)
    # Also where nobody ever read the first line.
    response.call_on_close(lambda: ws.bus.leave(listener))
    return response


def _stream(ws: Workshop, listener: queue.Queue[tuple[str, dict[str, Any]]], environ: dict[str, Any]) -> Iterator[str]:
    is_gone: Callable[[], bool] = environ.get("waitress.client_disconnected", lambda: False)
    yield f"retry: 1000\nevent: hello\ndata: {json.dumps({'revision': ws.revision})}\n\n"
    told = time.monotonic()
    while True:
        try:
            kind, body = listener.get(timeout=_LOOK_EVERY_S)
        except queue.Empty:
            if is_gone():
                return
            if time.monotonic() - told < _HEARTBEAT_S:
                continue
            kind, body = "still", {}
        if kind == END:
            return
        told = time.monotonic()
        yield f"event: {kind}\ndata: {json.dumps(body)}\n\n"


def change_rig(body: views.RigFields) -> Response:
    """Keep what a person says about the rig."""
    from obsidian_wren.service import rigs

    rigs.change_rig(workshop(), body)
    return state_answer()


def turn(body: models.Turn) -> Response:
    """Turn a gain control."""
    from obsidian_wren.service import rigs

    rigs.turn(workshop(), body.control, body.position)
    return state_answer()


def switch_thing(body: models.Switch) -> Response:
    """Switch something in the simulated room."""
    from obsidian_wren.service import rigs

    rigs.switch_thing(workshop(), body.name, body.on)
    return state_answer()


def add_microphone(body: views.MicrophoneFields) -> Response:
    """Keep a new microphone and use it."""
    return _keep("microphone", body, None)


def change_microphone(path: models.ById, body: views.MicrophoneFields) -> Response:
    """Change a kept microphone."""
    return _keep("microphone", body, path.id)


def add_interface(body: views.InterfaceFields) -> Response:
    """Keep a new interface and use it."""
    return _keep("interface", body, None)


def change_interface(path: models.ById, body: views.InterfaceFields) -> Response:
    """Change a kept interface."""
    return _keep("interface", body, path.id)


def add_room(body: views.RoomFields) -> Response:
    """Keep a new room and use it."""
    return _keep("room", body, None)


def change_room(path: models.ById, body: views.RoomFields) -> Response:
    """Change a kept room."""
    return _keep("room", body, path.id)


def _keep(kind: views.KeptKind, body: Any, thing_id: int | None) -> Response:
    from obsidian_wren.service import rigs

    rigs.keep_thing(workshop(), kind, body, thing_id)
    return state_answer()


def remove_thing(path: models.OfKind) -> Response:
    """Forget a kept thing that no rig is made of."""
    from obsidian_wren.service import rigs

    rigs.remove_thing(workshop(), path.kind, path.id)
    return state_answer()


def add_rig(body: models.Named) -> Response:
    """Keep a further rig, like the one in hand, and take it in hand."""
    from obsidian_wren.service import rigs

    rigs.add_rig(workshop(), body.name)
    return state_answer()


def use_rig(path: models.ById) -> Response:
    """Take another rig in hand."""
    from obsidian_wren.service import rigs

    rigs.use_rig(workshop(), path.id)
    return state_answer()


def remove_rig(path: models.ById) -> Response:
    """Forget a rig without takes."""
    from obsidian_wren.service import rigs

    rigs.remove_rig(workshop(), path.id)
    return state_answer()


def import_response(form: ResponseUpload) -> Response:
    """Keep a response file with the rig's microphone."""
    from obsidian_wren.service import responses

    with uploaded(form.file) as (path, name):
        responses.import_response(workshop(), path, name)
    return state_answer()


def remove_response() -> Response:
    """Use the microphone without a response file."""
    from obsidian_wren.service import rigs

    rigs.detach_response(workshop())
    return state_answer()


def export_response(query: models.WhatResponse) -> Response:
    """The microphone's response, or the fitted correction, as two-column text."""
    from obsidian_wren.service import exporting

    name, text = exporting.export_response(workshop(), query.what)
    return Response(text, mimetype="text/plain", headers={"Content-Disposition": f'attachment; filename="{_plain_name(name)}"'})


def _plain_name(name: str) -> str:
    return "".join(c if c.isascii() and (c.isalnum() or c in " .-") else "-" for c in name)


def change_device(body: models.ChangeDevice) -> Response:
    """Change one thing in the computer's sound settings."""
    from obsidian_wren.service import computers

    computers.change_device(workshop(), body.device_id, body.field, body.value)
    return state_answer()


def name_device(body: models.NameDevice) -> Response:
    """Give a device a name of one's own."""
    from obsidian_wren.service import computers

    computers.name_device(workshop(), body.device_id, body.own_name)
    return state_answer()


def choose_device(body: models.DeviceById) -> Response:
    """Say which input is the rig's."""
    return _computer("choose_device", body)


def unplug(body: models.DeviceById) -> Response:
    """Pull a device."""
    return _computer("unplug", body)


def plug_in(body: models.DeviceById) -> Response:
    """Plug it in again."""
    return _computer("plug_in", body)


def _computer(action: str, body: models.DeviceById) -> Response:
    from obsidian_wren.service import computers

    getattr(computers, action)(workshop(), body.device_id)
    return state_answer()


def undo() -> Response:
    """Take the newest change back."""
    from obsidian_wren.service import history

    history.undo(workshop())
    return state_answer()


def redo() -> Response:
    """Make it again."""
    from obsidian_wren.service import history

    history.redo(workshop())
    return state_answer()


def derive_again() -> Response:
    """Derive everything anew that the takes at hand can give."""
    from obsidian_wren.service import deriving

    deriving.derive_again(workshop())
    return state_answer()


def start_watch(body: models.StartWatch) -> Response:
    """Listen in live."""
    from obsidian_wren.service import watching

    watching.start_watch(workshop(), body.purpose, browser_rate_hz=body.rate_hz)
    return state_answer()


def push_watch() -> Response:
    """The next piece of the browser's microphone."""
    from obsidian_wren.service import watching

    watching.push_watch(workshop(), piece())
    return jsonify(ok=True)


def stop_watch() -> Response:
    """Stop listening in."""
    from obsidian_wren.service import watching

    watching.stop_watch(workshop())
    return state_answer()


def settle(body: models.ForStep) -> Response:
    """Accept a step as it stands."""
    from obsidian_wren.service import calibrating

    calibrating.settle_step(workshop(), body.step)
    return state_answer()


def start_take(body: models.StartTake) -> Response:
    """Begin a take from the simulated rig."""
    from obsidian_wren.service import taking

    taking.start_simulated(
        workshop(), body.purpose, seconds=body.seconds, position=body.position, learns=body.learns, until_steady=body.until_steady
    )
    return state_answer()


def stop_take() -> Response:
    """End the running take and keep it."""
    from obsidian_wren.service import taking

    taking.stop_take(workshop())
    return state_answer()


def take_file(form: Upload) -> Response:
    """Make a take of a sound file."""
    from obsidian_wren.service import taking

    with uploaded(form.file) as (path, _):
        taking.keep_file(workshop(), form.purpose, path, channel=form.channel, position=form.position, learns=form.learns)
    return state_answer()


def start_browser_take(body: models.StartBrowserTake) -> Response:
    """Begin a take whose pieces the page sends."""
    from obsidian_wren.service import taking

    take_id = taking.start_browser(
        workshop(), body.purpose, rate_hz=body.rate_hz, seconds=body.seconds, not_obeyed=list(body.not_obeyed), position=body.position,
        learns=body.learns, until_steady=body.until_steady,
    )  # fmt: skip
    return jsonify(take_id=take_id)


def add_piece(path: models.Piece) -> Response:
    """The next piece: little-endian 32-bit floats."""
    from obsidian_wren.service import taking

    enough = taking.add_piece(workshop(), path.take_id, path.number, piece())
    return jsonify(ok=True, enough=enough)


def discard_take(path: models.ById) -> Response:
    """Remove a take."""
    from obsidian_wren.service import taking

    taking.discard_take(workshop(), path.id)
    return state_answer()


def keep_half(path: models.HalfById) -> Response:
    """Use a take that was cut off."""
    from obsidian_wren.service import taking

    taking.keep_half(workshop(), path.id)
    return state_answer()


def discard_half(path: models.HalfById) -> Response:
    """Throw a cut-off take away."""
    from obsidian_wren.service import taking

    taking.discard_half(workshop(), path.id)
    return state_answer()


def hear_take(path: models.ById, query: models.Hear) -> Response:
    """A WAV of a take, raw or treated."""
    from obsidian_wren.service import listening

    sound = listening.hear_take(workshop(), path.id, query.version, matched=query.matched, off=query.left_out)
    return Response(sound, mimetype="audio/wav")


def fit_tone() -> Response:
    """Fit again; pins stay."""
    from obsidian_wren.service import calibrating

    calibrating.fit_again(workshop())
    return state_answer()


def change_setting(body: models.ChangeSetting) -> Response:
    """Pin, nudge or let go of a setting."""
    from obsidian_wren.service import calibrating

    calibrating.change_setting(workshop(), body.stage, body.name, value=body.value, band=body.band, pinned=body.pinned)
    return state_answer()


def calibration() -> Response:
    """The calibration as an open file."""
    from obsidian_wren.service import exporting

    body = json.dumps(exporting.export_calibration(workshop()), indent=2, ensure_ascii=False)
    headers = {"Content-Disposition": 'attachment; filename="calibration.json"'}
    return Response(body + "\n", mimetype="application/json", headers=headers)


ROUTES: tuple[tuple[str, str, Callable[..., Response], type[BaseModel] | None], ...] = (
    ("get", "/state", state, views.Overview),
    ("get", "/events", events, None),
    ("put", "/rig", change_rig, views.Overview),
    ("post", "/controls", turn, views.Overview),
    ("post", "/things", switch_thing, views.Overview),
    ("post", "/microphones", add_microphone, views.Overview),
    ("put", "/microphones/<int:id>", change_microphone, views.Overview),
    ("post", "/interfaces", add_interface, views.Overview),
    ("put", "/interfaces/<int:id>", change_interface, views.Overview),
    ("post", "/rooms", add_room, views.Overview),
    ("put", "/rooms/<int:id>", change_room, views.Overview),
    ("delete", "/kept/<kind>/<int:id>", remove_thing, views.Overview),
    ("post", "/rigs", add_rig, views.Overview),
    ("post", "/rigs/<int:id>/use", use_rig, views.Overview),
    ("delete", "/rigs/<int:id>", remove_rig, views.Overview),
    ("post", "/response", import_response, views.Overview),
    ("delete", "/response", remove_response, views.Overview),
    ("get", "/response", export_response, None),
    ("patch", "/computer", change_device, views.Overview),
    ("put", "/computer/names", name_device, views.Overview),
    ("post", "/computer/rig", choose_device, views.Overview),
    ("post", "/computer/unplug", unplug, views.Overview),
    ("post", "/computer/plug", plug_in, views.Overview),
    ("post", "/undo", undo, views.Overview),
    ("post", "/redo", redo, views.Overview),
    ("post", "/derive", derive_again, views.Overview),
    ("post", "/watch", start_watch, views.Overview),
    ("post", "/watch/piece", push_watch, models.Done),
    ("post", "/watch/stop", stop_watch, views.Overview),
    ("post", "/settle", settle, views.Overview),
    ("post", "/takes", start_take, views.Overview),
    ("post", "/takes/stop", stop_take, views.Overview),
    ("post", "/takes/file", take_file, views.Overview),
    ("post", "/takes/browser", start_browser_take, models.Began),
    ("post", "/takes/browser/<take_id>/<int:number>", add_piece, models.Done),
    ("delete", "/takes/<int:id>", discard_take, views.Overview),
    ("post", "/halves/<id>/keep", keep_half, views.Overview),
    ("delete", "/halves/<id>", discard_half, views.Overview),
    ("get", "/takes/<int:id>/sound", hear_take, None),
    ("post", "/tone/fit", fit_tone, views.Overview),
    ("patch", "/settings", change_setting, views.Overview),
    ("get", "/calibration", calibration, None),
    *chain.ROUTES,
    *send.ROUTES,
)


def _api(*, describe: bool) -> APIBlueprint:
    """All routes. Describing them (the OpenAPI document) takes longer than serving them, so it is done only when asked for."""
    api = APIBlueprint("api", __name__, url_prefix="/api", abp_responses=_PROBLEMS, doc_ui=describe)
    for method, path, handler, answer in ROUTES:
        responses = None if answer is None else {200: answer}
        getattr(api, method)(path, responses=responses, doc_ui=describe)(handler)
    return api


def _on_invalid(error: ValidationError) -> Response:
    first = error.errors()[0]
    where = ".".join(str(part) for part in first["loc"])
    # Of what is no record at all the message would name ours.
    said = f"“{where}”: {first['msg']}. Mend it and try again." if where and not first["type"].startswith("model") else _NO_SENSE
    response = jsonify(code="invalid", sentence=said)
    response.status_code = 422
    return response


def _on_too_large(_error: Exception) -> tuple[Response, int]:
    return jsonify(code="too-large", sentence=largest_body(request.method, request.path)[1]), 413


def create_app(ws: Workshop | None, *, describe: bool = False) -> OpenAPI:
    """The application over a workshop; None serves for making the OpenAPI document."""
    app = OpenAPI(
        "obsidian_wren", info=Info(title="Obsidian Wren", version="1"), static_folder=None, doc_ui=False,
        validation_error_callback=_on_invalid, security_schemes=_SCHEMES,
    )  # fmt: skip
    app.config["WORKSHOP"] = ws
    app.config["MAX_CONTENT_LENGTH"] = LARGEST_SOUND
    app.config["MAX_FORM_MEMORY_SIZE"] = 1_000_000
    guard.install(app)
    app.register_api(_api(describe=describe))
    app.register_error_handler(413, _on_too_large)
    app.register_error_handler(Exception, _on_error)

    return app


_NOT_HERE = "There is nothing under this address. Load the page again."
_HTTP = {
    404: _NOT_HERE,
    405: "This cannot be asked of this address. Load the page again.",
    415: "This was not sent as JSON. Send it as application/json.",
}
_NO_SENSE = "What was sent cannot be understood. Send it again, as the page does."


def _on_error(error: Exception) -> Any:
    if isinstance(error, HTTPException):
        return jsonify(code="http", sentence=_HTTP.get(error.code or 0, _NO_SENSE)), error.code
    if isinstance(error, Told):
        _keep_what_it_tells(error)
        return jsonify(code=error.code, sentence=str(error)), 422
    if isinstance(error, (UnicodeError, RecursionError, OverflowError)):
        # Letters that are none, brackets without end, numbers that no machine holds.
        current_app.logger.warning("A request makes no sense", exc_info=error)
        return jsonify(code="invalid", sentence=_NO_SENSE), 422
    current_app.logger.error("A request failed", exc_info=error)
    return jsonify(
        code="inside", sentence="Something failed inside; nothing that was kept is lost. Try again, or start the program again."
    ), 500


def _keep_what_it_tells(error: Told) -> None:
    """A sound that is found lost is marked, so that what is asked next does without it."""
    if error.code == "sound-lost":
        from obsidian_wren.service.lost_sounds import note_lost

        with suppress(Told):
            note_lost(workshop(), error)  # type: ignore[arg-type]


def load() -> None:
    """Load what computes, so that the first take need not wait for it."""
    from obsidian_wren.service import calibrating, listening, living, overview, proving, sending, taking

    for module in (calibrating, listening, living, overview, proving, sending, taking):
        assert module.__doc__


def warm_up(ws: Workshop) -> None:
    """Load what computes, lay out the clips, and go on being live where that was so."""
    load()
    from obsidian_wren.service import clips, living, lost_sounds

    for part in (clips.ship, living.resume_run, lost_sounds.check_sounds):
        try:
            part(ws)
        except Told as error:
            ws.bus.tell("trouble", {"sentence": str(error)})
        except Exception:
            # Nobody waits for it; what it would have done can be asked for.
            _LOG.exception("A part of warming up failed")
