"""Send over the API: listeners, mixes, common cases, the live run, proofs, clips, the recorder."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from flask import Response, jsonify, request, send_from_directory
from flask_openapi3 import FileStorage
from pydantic import BaseModel, Field

from obsidian_wren.core.decibels import Samples
from obsidian_wren.service import send_views, views
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.said import Said
from obsidian_wren.web import models
from obsidian_wren.web.answers import state_answer, uploaded, workshop
from obsidian_wren.web.limits import LARGEST_PIECE


class ByKey(Said):
    """A listener or a source by its key."""

    key: str = Field(max_length=40)


class HearListener(Said):
    """What of a listener to hear."""

    what: str = Field(default="heard", pattern="^(heard|sent|returned)$")


class Use(Said):
    """In use or not."""

    on: bool


class Rename(Said):
    """Another name."""

    name: str = Field(max_length=120)


class SetProgram(Said):
    """Something in a listening program; what is left out stays."""

    rate_hz: int | None = None
    takes_hz: int | None = None
    also: str | None = Field(default=None, max_length=120)
    muted: bool | None = None
    noise_removal: bool | None = None
    auto_gain: bool | None = None
    echo_cancelling: bool | None = None
    activation_dbfs: float | None = None
    narrow_band: bool | None = None
    bits: int | None = None
    hears_itself: bool | None = None
    speaks: bool | None = None
    upside_down: bool | None = None
    latency_ms: float | None = None
    jitter_ms: float | None = None
    drift_ppm: float | None = None


class SetRoute(Said):
    """A source goes to a listener, or does not."""

    source: str = Field(max_length=60)
    destination: str = Field(max_length=40)
    tap: send_views.Tap = "treated"
    on: bool


class PinMix(Said):
    """Hold something of a mix, or let the derived value stand (null)."""

    name: str = Field(max_length=20)
    value: float | None
    source: str | None = Field(default=None, max_length=60)


class AlterClip(Said):
    """A clip's name, key and trim."""

    name: str = Field(max_length=80)
    key: str | None = Field(default=None, pattern="^[1-9]$")
    start_s: float = Field(ge=0)
    end_s: float = Field(gt=0)


class PressClip(Said):
    """A clip's key goes down or up."""

    down: bool = True


class ClipUpload(Said):
    """A sound file for a clip."""

    file: FileStorage


class Purpose(Said):
    """What a recording is for."""

    purpose: str = Field(default="Recording", max_length=80)


class HoldBlock(Said):
    """The size of a block; null lets the measured one stand."""

    block_ms: float | None = Field(default=None, ge=2, le=100)


class HoldBuffer(Said):
    """What waits at each listener beyond a block; null lets the measured one stand."""

    buffer_ms: float | None = Field(default=None, ge=5, le=200)


class SetUp(Said):
    """A common case."""

    case: str = Field(max_length=20)


def pick_input(path: ByKey, body: models.PickInput) -> Response:
    """Another program picks an input."""
    from obsidian_wren.service import sending

    sending.pick_input(workshop(), path.key, body.picks)
    return state_answer()


def set_program(path: ByKey, body: SetProgram) -> Response:
    """Set something in a listening program."""
    from obsidian_wren.service import sending

    sending.set_program(workshop(), path.key, body.model_dump(exclude_unset=True))
    return state_answer()


def use_listener(path: ByKey, body: Use) -> Response:
    """Take a listener into use, or out of it."""
    from obsidian_wren.service import sending

    sending.use_listener(workshop(), path.key, body.on)
    return state_answer()


def rename_listener(path: ByKey, body: Rename) -> Response:
    """Call a listener by another name."""
    from obsidian_wren.service import sending

    sending.rename_listener(workshop(), path.key, body.name)
    return state_answer()


def use_source(path: ByKey, body: Use) -> Response:
    """Take a source into use, or out of it."""
    from obsidian_wren.service import sending

    sending.use_source(workshop(), path.key, body.on)
    return state_answer()


def set_route(body: SetRoute) -> Response:
    """Send a source to a listener, or keep it out."""
    from obsidian_wren.service import sending

    sending.set_route(workshop(), body.source, body.destination, body.tap, body.on)
    return state_answer()


def pin_mix(path: ByKey, body: PinMix) -> Response:
    """Hold something of a mix, or let it go."""
    from obsidian_wren.service import sending

    sending.pin_mix(workshop(), path.key, body.name, body.value, body.source)
    return state_answer()


def usual_mix(path: ByKey) -> Response:
    """Let go of everything that is held of a mix."""
    from obsidian_wren.service import sending

    sending.usual_mix(workshop(), path.key)
    return state_answer()


def set_up(body: SetUp) -> Response:
    """Set up a common case."""
    from obsidian_wren.service import sending

    sending.set_up(workshop(), body.case)
    return state_answer()


def derive_mixes() -> Response:
    """Derive the mixes anew where they are stale."""
    from obsidian_wren.service import mixing

    ws = workshop()
    mixing.refresh(ws)
    return state_answer()


def start_run(body: models.StartRun) -> Response:
    """Go live."""
    from obsidian_wren.service import living

    living.start_run(workshop(), browser_rate_hz=body.rate_hz)
    return state_answer()


def push_live() -> Response:
    """The next piece of the browser's microphone: little-endian 32-bit floats."""
    from obsidian_wren.service import living

    living.push_live(workshop(), piece())
    return jsonify(ok=True)


def piece() -> Samples:
    """The samples in the request's body. Raises Refused when they came broken."""
    raw = request.get_data()
    if len(raw) % 4 or len(raw) > LARGEST_PIECE:
        raise Refused("piece", "A piece of sound arrived broken. Stop and take it again.")
    # A sample that is no number is silence: it would stay in every filter for good.
    return np.nan_to_num(np.frombuffer(raw, dtype="<f4").astype(np.float64), nan=0.0, posinf=1.0, neginf=-1.0)


def stop_run() -> Response:
    """Stop being live."""
    from obsidian_wren.service import living

    living.stop_run(workshop())
    return state_answer()


def hold_block(body: HoldBlock) -> Response:
    """Hold the size of a block, or let the measured one stand."""
    from obsidian_wren.service import living

    living.hold_block(workshop(), body.block_ms)
    return state_answer()


def hold_buffer(body: HoldBuffer) -> Response:
    """Hold what waits at each listener, or let the measured one stand."""
    from obsidian_wren.service import living

    living.hold_buffer(workshop(), body.buffer_ms)
    return state_answer()


def treat_returns() -> Response:
    """Measure what came back, and treat it."""
    from obsidian_wren.service import living

    living.treat_returns(workshop())
    return state_answer()


def send_marker() -> Response:
    """Send the marker through every path."""
    from obsidian_wren.service import proving

    proving.send_marker(workshop())
    return state_answer()


def hear_listener(path: ByKey, query: HearListener) -> Response:
    """The last ten seconds of a listener as WAV."""
    from obsidian_wren.service import listening

    return Response(listening.hear_listener(workshop(), path.key, query.what), mimetype="audio/wav")  # type: ignore[arg-type]


def load_clip(form: ClipUpload) -> Response:
    """Keep a sound file as a clip."""
    from obsidian_wren.service import clips

    with uploaded(form.file) as (path, name):
        clips.load_file(workshop(), path, name)
    return state_answer()


def alter_clip(path: models.ById, body: AlterClip) -> Response:
    """Rename a clip, put it on another key, trim it."""
    from obsidian_wren.service import clips

    clips.alter(workshop(), path.id, name=body.name, key=body.key, start_s=body.start_s, end_s=body.end_s)
    return state_answer()


def remove_clip(path: models.ById) -> Response:
    """Take a clip away."""
    from obsidian_wren.service import clips

    clips.remove(workshop(), path.id)
    return state_answer()


def press_clip(path: models.ById, body: PressClip) -> Response:
    """Play a clip into what is live, or stop it."""
    from obsidian_wren.service import clips

    clips.press(workshop(), path.id, down=body.down)
    return jsonify(ok=True)


def hear_clip(path: models.ById) -> Response:
    """A clip as its key plays it, as WAV."""
    from obsidian_wren.service import listening

    return Response(listening.hear_clip(workshop(), path.id), mimetype="audio/wav")


def choose_tracks(body: send_views.TrackChoice) -> Response:
    """Which tracks are recorded."""
    from obsidian_wren.service import recording

    recording.choose_tracks(workshop(), list(body.tracks), body.format, body.minutes, body.megabytes)
    return state_answer()


def start_recording(body: Purpose) -> Response:
    """The recorder begins."""
    from obsidian_wren.service import recording

    recording.start_recording(workshop(), purpose=body.purpose)
    return state_answer()


def stop_recording() -> Response:
    """The recorder finishes its files."""
    from obsidian_wren.service import recording

    recording.stop_recording(workshop())
    return state_answer()


def split_recording() -> Response:
    """The recorder goes on in the next files."""
    from obsidian_wren.service import recording

    recording.split_recording(workshop())
    return state_answer()


def rename_recording(path: models.ById, body: Rename) -> Response:
    """Give a recording another title."""
    from obsidian_wren.service import recorder

    recorder.rename(workshop(), path.id, body.name)
    return state_answer()


def discard_recording(path: models.ById) -> Response:
    """Delete a file of the recorder; undo brings it back."""
    from obsidian_wren.service import recorder

    recorder.discard(workshop(), path.id)
    return state_answer()


def hear_recording(path: models.ById) -> Response:
    """A recording as it lies."""
    from obsidian_wren.service import listening

    found, name = listening.recording_file(workshop(), path.id)
    kind = "audio/wav" if found.suffix == ".wav" else "audio/flac"
    return send_from_directory(found.parent, found.name, mimetype=kind, download_name=name, conditional=True)


ROUTES: tuple[tuple[str, str, Callable[..., Response], type[BaseModel] | None], ...] = (
    ("put", "/destinations/<key>/picks", pick_input, views.Overview),
    ("patch", "/destinations/<key>/program", set_program, views.Overview),
    ("put", "/destinations/<key>/use", use_listener, views.Overview),
    ("put", "/destinations/<key>/name", rename_listener, views.Overview),
    ("put", "/destinations/<key>/pin", pin_mix, views.Overview),
    ("post", "/destinations/<key>/usual", usual_mix, views.Overview),
    ("get", "/destinations/<key>/sound", hear_listener, None),
    ("put", "/sources/<key>/use", use_source, views.Overview),
    ("put", "/routes", set_route, views.Overview),
    ("post", "/case", set_up, views.Overview),
    ("post", "/mixes", derive_mixes, views.Overview),
    ("post", "/run/start", start_run, views.Overview),
    ("post", "/run/piece", push_live, models.Done),
    ("post", "/run/stop", stop_run, views.Overview),
    ("put", "/run/block", hold_block, views.Overview),
    ("put", "/run/buffer", hold_buffer, views.Overview),
    ("post", "/returns", treat_returns, views.Overview),
    ("post", "/marker", send_marker, views.Overview),
    ("post", "/clips", load_clip, views.Overview),
    ("put", "/clips/<int:id>", alter_clip, views.Overview),
    ("delete", "/clips/<int:id>", remove_clip, views.Overview),
    ("post", "/clips/<int:id>/press", press_clip, models.Done),
    ("get", "/clips/<int:id>/sound", hear_clip, None),
    ("put", "/tracks", choose_tracks, views.Overview),
    ("post", "/recordings/start", start_recording, views.Overview),
    ("post", "/recordings/stop", stop_recording, views.Overview),
    ("post", "/recordings/split", split_recording, views.Overview),
    ("put", "/recordings/<int:id>/name", rename_recording, views.Overview),
    ("delete", "/recordings/<int:id>", discard_recording, views.Overview),
    ("get", "/recordings/<int:id>/sound", hear_recording, None),
)
