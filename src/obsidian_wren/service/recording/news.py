"""What the recorder tells, as rows."""

from __future__ import annotations

import logging
from typing import Any

from obsidian_wren.core.wording import _
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.recording import library
from obsidian_wren.service.recording.state import current
from obsidian_wren.voice import records
from obsidian_wren.voice.recorded_file import RecordedFile

_LOG = logging.getLogger(__name__)
_NOT_LISTED = _(
    "A recording could not be listed; its file is saved and will be listed at the next start."
)


def hear(app: AppContext, kind: str, body: dict[str, Any]) -> None:
    """A part begins, a file is whole; recording fails, or has ended."""
    state = current(app)
    if kind == "recording part" and state.recorder is not None:
        library.keep_open(app, state.recorder, body["part"], body["rate_hz"])
    elif kind == "recorded file":
        _keep(app, body)
    elif kind == "recording trouble":
        state.failed = body["sentence"]
        app.bus.tell("trouble", {"sentence": body["sentence"]})
    elif kind == "recording ended" and state.session == body["key"]:
        state.recorder = None
    app.changed()


def _keep(app: AppContext, body: dict[str, Any]) -> None:
    path, waveform = app.folder.recordings / body["file"], tuple(body["waveform"])
    part = RecordedFile(path, body["frames"], body["lufs"], body["true_peak_dbtp"], waveform)
    try:
        library.keep_part(app, part)
    except Exception:
        # Its row stays open: the next start reads the file and lists it.
        _LOG.exception("A finished recording could not be listed")
        current(app).failed = _NOT_LISTED
        app.bus.tell("trouble", {"sentence": _NOT_LISTED})


def found(app: AppContext, stands: records.RecordingStatus, rate_hz: int) -> None:
    """A recording that went on while nobody here followed it: its files are listed, those that
    ended meanwhile as they lie."""
    asked = stands.asked
    current(app).recorder = asked
    for part in range(1, stands.part + 1):
        library.keep_open(app, asked, part, rate_hz)
    library.list_what_was_left(app, but=(asked.key, stands.part))


def lost(app: AppContext) -> None:
    """What recorded has ended by itself: its files are listed as they lie."""
    if current(app).recorder is not None:
        current(app).recorder = None
        library.list_what_was_left(app)
        app.changed()
