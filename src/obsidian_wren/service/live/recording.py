"""What is live, recorded by the voice."""

from __future__ import annotations

from contextlib import suppress

from obsidian_wren.core.wording import _
from obsidian_wren.service import recording
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live.state import current
from obsidian_wren.service.live.voice_link import VoiceLink, link_of
from obsidian_wren.service.recording import library, news
from obsidian_wren.service.recording.recording import asked_for
from obsidian_wren.voice import records
from obsidian_wren.voice.asking import VoiceRefused


def start_recording(app: AppContext, *, purpose: str = "Recording") -> None:
    """The recorder begins a file for every track that is chosen. Raises Refused where nothing is
    live."""
    run, held = current(app).running, recording.current(app)
    if run is None:
        raise Refused(
            "not-live", _("You are not live, so there is nothing to record. Start live first.")
        )
    if held.recorder is not None:
        raise Refused("recording", _("It is recording already."))
    asked, link = asked_for(app, run.rate_hz, purpose), link_of(app)
    held.recorder, held.failed = asked, None
    library.keep_open(app, asked, 1, run.rate_hz)
    try:
        link.ask(asked)
    except VoiceRefused as error:
        link.await_news()
        news.lost(app)
        raise Refused(error.code, str(error)) from error
    app.changed()


def stop_recording(app: AppContext) -> None:
    """Finish the files, measured and listed."""
    held, link = recording.current(app), link_of(app)
    if held.recorder is None:
        raise Refused("not-recording", _("It is not recording."))
    try:
        link.ask(records.EndRecording())
        link.await_news()
        held.recorder = None
    except VoiceRefused:
        news.lost(app)
    app.changed()


def split_recording(app: AppContext) -> None:
    """End the files here and go on in the next ones."""
    if recording.current(app).recorder is None:
        raise Refused("not-recording", _("It is not recording."))
    _ask(link_of(app), records.SplitRecording())


def close_recording(app: AppContext) -> None:
    """Close a recording that runs, and keep it."""
    with suppress(Refused):
        stop_recording(app)


def _ask(link: VoiceLink, request: records.Request) -> None:
    try:
        link.ask(request)
    except VoiceRefused as error:
        raise Refused(error.code, str(error)) from error
