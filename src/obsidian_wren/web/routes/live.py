"""What is live: the run, returns, the headphones, clips on keys."""

from __future__ import annotations

from flask import Response, jsonify, request
from flask_openapi3 import FileStorage
from pydantic import Field

from obsidian_wren.service.export import sounds
from obsidian_wren.service.live import living, monitor, muting, pressing
from obsidian_wren.service.mixes import clips
from obsidian_wren.service.page import views
from obsidian_wren.service.words import RequestModel
from obsidian_wren.web import limits, models
from obsidian_wren.web.answers import Route, piece, state_answer, the_app, uploaded


class AlterClip(RequestModel):
    """A clip's name, key and trim."""

    name: str = Field(max_length=80)
    key: str | None = Field(default=None, pattern="^[1-9]$")
    start_s: float = Field(ge=0)
    end_s: float = Field(gt=0)


class PressClipRequest(RequestModel):
    """A clip's key goes down or up."""

    down: bool = True


class ClipUpload(RequestModel):
    """A sound file for a clip."""

    file: FileStorage


class HoldBlock(RequestModel):
    """The size of a block; null lets the measured one stand."""

    block_ms: float | None = Field(default=None, ge=2, le=100)


class HoldBuffer(RequestModel):
    """What waits at each listener beyond a block; null lets the measured one stand."""

    buffer_ms: float | None = Field(default=None, ge=5, le=200)


class TakeOut(RequestModel):
    """Whether what a loudspeaker plays is taken out; null lets it be as derived."""

    on: bool | None = None


class StartRun(RequestModel):
    """Go live; ``rate_hz`` is that of the browser's microphone."""

    rate_hz: int | None = Field(default=None, ge=8000, le=192000)


class MuteRequest(RequestModel):
    """Mute a feed by its listener's key, or all of them; ``push``: only while a key is held."""

    key: str | None = Field(default=None, max_length=40)
    on: bool
    push: bool = False


class Talk(RequestModel):
    """The key of push-to-talk goes down or up; while it is held, down is said again."""

    down: bool


def mute(body: MuteRequest) -> Response:
    """Keep the voice out of feeds, or let it in again."""
    (muting.push_to_talk if body.push else muting.mute)(the_app(), body.key, body.on)
    return state_answer()


def toggle_mute() -> Response:
    """Mute every feed, or none."""
    muting.toggle_mute(the_app())
    return state_answer()


def talk(body: Talk) -> Response:
    """Push-to-talk."""
    muting.talk(the_app(), body.down)
    return jsonify(ok=True)


def start_run(body: StartRun) -> Response:
    """Go live."""
    living.start_run(the_app(), browser_rate_hz=body.rate_hz)
    return state_answer()


def push_live() -> Response:
    """The next piece of the browser's microphone: little-endian 32-bit floats."""
    living.push_live(the_app(), piece())
    return jsonify(ok=True)


def stop_run() -> Response:
    """Stop being live."""
    living.stop_run(the_app())
    return state_answer()


def hold_block(body: HoldBlock) -> Response:
    """Hold the size of a block, or let the measured one stand."""
    living.hold_block(the_app(), body.block_ms)
    return state_answer()


def hold_buffer(body: HoldBuffer) -> Response:
    """Hold what waits at each listener, or let the measured one stand."""
    living.hold_buffer(the_app(), body.buffer_ms)
    return state_answer()


def take_loudspeaker_out(body: TakeOut) -> Response:
    """Take what a loudspeaker plays out of the microphone, or leave it."""
    living.take_loudspeaker_out(the_app(), body.on)
    return state_answer()


def treat_returns() -> Response:
    """Measure what came back, and treat it."""
    living.treat_returns(the_app())
    return state_answer()


def load_clip(form: ClipUpload) -> Response:
    """Keep a sound file as a clip."""
    with uploaded(form.file) as (path, name):
        the_app().work(clips.load_file, path, name)
    return state_answer()


def alter_clip(path: models.ById, body: AlterClip) -> Response:
    """Rename a clip, put it on another key, trim it."""
    the_app().work(clips.alter, path.id, body.name, body.key, body.start_s, body.end_s)
    return state_answer()


def remove_clip(path: models.ById) -> Response:
    """Take a clip away."""
    clips.remove(the_app(), path.id)
    return state_answer()


def press_clip(path: models.ById, body: PressClipRequest) -> Response:
    """Play a clip into what is live, or stop it."""
    pressing.press(the_app(), path.id, down=body.down)
    return jsonify(ok=True)


def hear_clip(path: models.ById) -> Response:
    """A clip as its key plays it, as WAV."""
    return Response(the_app().work(sounds.hear_clip, path.id), mimetype="audio/wav")


def hear_live(query: models.LeftOut) -> Response:
    """The live voice, raw and treated side by side, as it arrives; ``X-Rate`` is the sample rate
    in Hz."""
    if request.method == "HEAD":
        return Response(mimetype="application/octet-stream", headers={"Cache-Control": "no-store"})
    app = the_app()
    pair = monitor.put_on(app, off=query.left_out)
    headers = {"Cache-Control": "no-store", "X-Rate": str(pair.rate_hz)}
    response = Response(pair.chunks(), mimetype="application/octet-stream", headers=headers)
    response.call_on_close(lambda: monitor.take_off(app, pair))
    return response


def leave_out_live(body: models.LeftOut) -> Response:
    """Leave other stages out in the headphones."""
    monitor.leave_out(the_app(), body.left_out)
    return jsonify(ok=True)


ROUTES: tuple[Route, ...] = (
    Route("post", "/run/start", start_run, views.Overview),
    Route("post", "/run/piece", push_live, models.Acknowledgement, limits.PIECE),
    Route("post", "/run/stop", stop_run, views.Overview),
    Route("put", "/run/block", hold_block, views.Overview),
    Route("put", "/run/buffer", hold_buffer, views.Overview),
    Route("put", "/run/loudspeaker", take_loudspeaker_out, views.Overview),
    Route("put", "/run/mute", mute, views.Overview),
    Route("post", "/run/mute/toggle", toggle_mute, views.Overview),
    Route("post", "/run/talk", talk, models.Acknowledgement),
    Route("post", "/returns", treat_returns, views.Overview),
    Route("post", "/clips", load_clip, views.Overview, limits.CLIP),
    Route("put", "/clips/<int:id>", alter_clip, views.Overview),
    Route("delete", "/clips/<int:id>", remove_clip, views.Overview),
    Route("post", "/clips/<int:id>/press", press_clip, models.Acknowledgement),
    Route("get", "/clips/<int:id>/sound", hear_clip, None),
    Route("get", "/live/sound", hear_live, None),
    Route("put", "/live/without", leave_out_live, models.Acknowledgement),
)
