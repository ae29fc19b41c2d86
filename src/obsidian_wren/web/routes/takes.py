"""Takes: recorded, sent in, listened into, heard."""

from __future__ import annotations

from typing import Literal

from flask import Response, jsonify
from flask_openapi3 import FileStorage
from pydantic import BaseModel, Field

from obsidian_wren.service import words
from obsidian_wren.service.export import sounds
from obsidian_wren.service.live import watching
from obsidian_wren.service.page import views
from obsidian_wren.service.page.takes import older_than
from obsidian_wren.service.takes import discarding, ending, from_file, from_page, halves, starting
from obsidian_wren.service.words import Begun, RequestModel, RowId
from obsidian_wren.web import limits, models
from obsidian_wren.web.answers import Route, piece, state_answer, the_app, uploaded


class Upload(RequestModel):
    """A sound file and what it is for."""

    file: FileStorage
    purpose: words.Begun
    channel: int | None = Field(default=None, ge=1, le=8)
    position: float | None = Field(default=None, ge=-100, le=100)
    learns: Literal["preamp", "slider"] = "preamp"


class StartTake(RequestModel):
    """Begin a take of the system's microphone, or from the simulated rig."""

    purpose: Begun
    seconds: float | None = Field(default=None, ge=1, le=300)
    position: float | None = Field(default=None, ge=-100, le=100)
    learns: Literal["preamp", "slider"] = "preamp"
    until_steady: bool = False


class StartBrowserTake(RequestModel):
    """Begin a take whose pieces follow. ``not_obeyed``: processing that the browser left on."""

    purpose: Begun
    rate_hz: int = Field(ge=1, le=10_000_000)
    seconds: float = Field(ge=1, le=300)
    not_obeyed: list[Literal["echo cancelling", "noise suppression", "auto gain"]] = Field(
        default=[], max_length=8
    )
    position: float | None = Field(default=None, ge=-100, le=100)
    learns: Literal["preamp", "slider"] = "preamp"
    until_steady: bool = False


class Began(BaseModel):
    """The id of the take that began."""

    take_id: str


class Piece(RequestModel):
    """Which piece of which take."""

    take_id: str = Field(pattern=r"^[0-9a-f]{12}$")
    number: int = Field(ge=0, lt=2**31)


class WhichOlder(RequestModel):
    """Takes of a purpose that are older than a take."""

    purpose: words.Purpose
    before: RowId


class HalfById(RequestModel):
    """One half take."""

    id: str = Field(pattern=r"^[0-9a-f]{12}$")


class StartWatch(RequestModel):
    """Listen in; ``rate_hz`` is that of the browser's microphone."""

    purpose: Literal["rest", "talk"]
    rate_hz: int | None = Field(default=None, ge=8000, le=192000)


class Hear(models.LeftOut):
    """How to hear a take; ``taken``: only what this stage takes out of it."""

    version: Literal["raw", "treated"] = "raw"
    matched: bool = True
    taken: str = ""


class FramesOfTake(BaseModel):
    """What the picture shows while a take plays."""

    step_s: float
    bands_hz: list[float]
    level_dbfs: list[float | None]
    peak_dbfs: list[float | None]
    bands_dbfs: list[list[float | None]]
    gains_db: dict[str, list[float]]


def start_watch(body: StartWatch) -> Response:
    """Listen in live."""
    watching.start_watch(the_app(), body.purpose, browser_rate_hz=body.rate_hz)
    return state_answer()


def push_watch() -> Response:
    """The next piece of the browser's microphone."""
    watching.push_watch(the_app(), piece())
    return jsonify(ok=True)


def stop_watch() -> Response:
    """Stop listening in."""
    watching.stop_watch(the_app())
    return state_answer()


def start_take(body: StartTake) -> Response:
    """Begin a take of what the rig hears: the microphone of the system, or the simulated rig."""
    starting.start(
        the_app(),
        body.purpose,
        seconds=body.seconds,
        position=body.position,
        learns=body.learns,
        until_steady=body.until_steady,
    )
    return state_answer()


def stop_take() -> Response:
    """End the running take and keep it."""
    ending.stop_take(the_app())
    return state_answer()


def take_file(form: Upload) -> Response:
    """Make a take of a sound file."""
    with uploaded(form.file) as (path, _):
        from_file.keep_file(
            the_app(),
            form.purpose,
            path,
            channel=form.channel,
            position=form.position,
            learns=form.learns,
        )
    return state_answer()


def start_browser_take(body: StartBrowserTake) -> Response:
    """Begin a take whose pieces the page sends."""
    take_id = from_page.start_browser(
        the_app(),
        body.purpose,
        rate_hz=body.rate_hz,
        seconds=body.seconds,
        not_obeyed=list(body.not_obeyed),
        position=body.position,
        learns=body.learns,
        until_steady=body.until_steady,
    )
    return jsonify(take_id=take_id)


def add_piece(path: Piece) -> Response:
    """The next piece: little-endian 32-bit floats."""
    enough = from_page.add_piece(the_app(), path.take_id, path.number, piece())
    return jsonify(ok=True, enough=enough)


def older(query: WhichOlder) -> Response:
    """Takes that the state leaves out."""
    return jsonify(older_than(the_app(), query.purpose, query.before).model_dump())


def discard_take(path: models.ById) -> Response:
    """Remove a take."""
    discarding.discard_take(the_app(), path.id)
    return state_answer()


def keep_half(path: HalfById) -> Response:
    """Use a take that was cut off."""
    halves.keep_half(the_app(), path.id)
    return state_answer()


def discard_half(path: HalfById) -> Response:
    """Throw a cut-off take away."""
    halves.discard_half(the_app(), path.id)
    return state_answer()


def hear_take(path: models.ById, query: Hear) -> Response:
    """A WAV of a take, raw or treated."""
    if query.taken:
        sound = the_app().work(sounds.hear_taken, path.id, query.taken, query.matched)
    else:
        sound = the_app().work(
            sounds.hear_take, path.id, query.version, query.matched, query.left_out
        )
    return Response(sound, mimetype="audio/wav")


def frames_of_take(path: models.ById, query: Hear) -> Response:
    """What the picture shows while a take plays."""
    return jsonify(the_app().work(sounds.frames_of_take, path.id, query.version, query.left_out))


def sweep() -> Response:
    """The measuring sweep as WAV."""
    return Response(the_app().work(sounds.sweep_wav, 48_000), mimetype="audio/wav")


ROUTES: tuple[Route, ...] = (
    Route("post", "/watch", start_watch, views.Overview),
    Route("post", "/watch/piece", push_watch, models.Acknowledgement, limits.PIECE),
    Route("post", "/watch/stop", stop_watch, views.Overview),
    Route("post", "/takes", start_take, views.Overview),
    Route("post", "/takes/stop", stop_take, views.Overview),
    Route("post", "/takes/file", take_file, views.Overview, limits.SOUND),
    Route("post", "/takes/browser", start_browser_take, Began),
    Route(
        "post",
        "/takes/browser/<take_id>/<int:number>",
        add_piece,
        models.Acknowledgement,
        limits.PIECE,
    ),
    Route("get", "/takes/older", older, views.OlderTakesView),
    Route("delete", "/takes/<int:id>", discard_take, views.Overview),
    Route("post", "/halves/<id>/keep", keep_half, views.Overview),
    Route("delete", "/halves/<id>", discard_half, views.Overview),
    Route("get", "/takes/<int:id>/sound", hear_take, None),
    Route("get", "/takes/<int:id>/frames", frames_of_take, FramesOfTake),
    Route("get", "/sweep", sweep, None),
)
