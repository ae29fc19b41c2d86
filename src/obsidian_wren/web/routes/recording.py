"""The recorder and its files."""

from __future__ import annotations

from flask import Response, send_from_directory
from pydantic import Field

from obsidian_wren.service.export import sounds
from obsidian_wren.service.live import recording
from obsidian_wren.service.page import send_views, views
from obsidian_wren.service.recording import library
from obsidian_wren.service.recording import recording as recorder
from obsidian_wren.service.words import RequestModel
from obsidian_wren.web import models
from obsidian_wren.web.answers import Route, state_answer, the_app


class RecordingPurpose(RequestModel):
    """What a recording is for."""

    purpose: str = Field(default="Recording", max_length=80)


def choose_tracks(body: send_views.TrackChoice) -> Response:
    """Which tracks are recorded."""
    recorder.choose_tracks(the_app(), list(body.tracks), body.format, body.minutes, body.megabytes)
    return state_answer()


def start_recording(body: RecordingPurpose) -> Response:
    """The recorder begins."""
    recording.start_recording(the_app(), purpose=body.purpose)
    return state_answer()


def stop_recording() -> Response:
    """The recorder finishes its files."""
    recording.stop_recording(the_app())
    return state_answer()


def split_recording() -> Response:
    """The recorder goes on in the next files."""
    recording.split_recording(the_app())
    return state_answer()


def rename_recording(path: models.ById, body: models.Rename) -> Response:
    """Give a recording another title."""
    library.rename(the_app(), path.id, body.name)
    return state_answer()


def discard_recording(path: models.ById) -> Response:
    """Delete a file of the recorder; undo brings it back."""
    library.discard(the_app(), path.id)
    return state_answer()


def hear_recording(path: models.ById) -> Response:
    """A recording as it lies."""
    found, name = sounds.recording_file(the_app(), path.id)
    kind = "audio/wav" if found.suffix == ".wav" else "audio/flac"
    return send_from_directory(
        found.parent, found.name, mimetype=kind, download_name=name, conditional=True
    )


ROUTES: tuple[Route, ...] = (
    Route("put", "/tracks", choose_tracks, views.Overview),
    Route("post", "/recordings/start", start_recording, views.Overview),
    Route("post", "/recordings/stop", stop_recording, views.Overview),
    Route("post", "/recordings/split", split_recording, views.Overview),
    Route("put", "/recordings/<int:id>/name", rename_recording, views.Overview),
    Route("delete", "/recordings/<int:id>", discard_recording, views.Overview),
    Route("get", "/recordings/<int:id>/sound", hear_recording, None),
)
