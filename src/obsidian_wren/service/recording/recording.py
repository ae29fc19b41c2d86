"""What is recorded: tracks chosen, begun, split, finished."""

from __future__ import annotations

import uuid
from contextlib import suppress
from pathlib import Path
from typing import cast

from obsidian_wren.core.wording import worded
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.mixes import scene
from obsidian_wren.service.recording import library, recorded_file, recorder
from obsidian_wren.service.recording.state import current
from obsidian_wren.service.recording.tracks import Split, Track, tracks_for
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.service.workshop.clock import now
from obsidian_wren.store.folder import disk_errors
from obsidian_wren.store.track_files import FileFormat


def choose_tracks(
    ws: Workshop,
    tracks: list[str],
    file_format: str,
    minutes: float | None,
    megabytes: float | None,
) -> None:
    """Which tracks are recorded, how, and when a file ends."""
    if not tracks:
        raise Refused("no-track", worded("A recording needs a track. Choose one."))
    with ws.sessions.begin() as session:
        scene.live_wish(session).tracks = {
            "tracks": tracks,
            "format": file_format,
            "minutes": minutes,
            "megabytes": megabytes,
        }
    ws.changed()


def begin_recording(ws: Workshop, rate_hz: int, *, purpose: str) -> None:
    """The recorder begins a file for every track that is chosen, of sound at the rate of the
    run."""
    now_running = current(ws)
    with ws.lock:
        if now_running.recorder is not None:
            raise Refused("recording", worded("It is recording already."))
        with ws.sessions() as session:
            wish = dict(scene.live_wish(session).tracks)
            tracks = tracks_for(session, list(wish.get("tracks") or ["treated"]))
        if not tracks:
            raise Refused(
                "no-track", worded("None of the chosen tracks is in use. Choose another one.")
            )
        ws.folder.require_space(50_000_000)
        library.list_what_was_left(ws)
        file_format = cast(FileFormat, wish.get("format") or "flac")
        key = uuid.uuid4().hex[:12]

        def opened(path: Path, track: Track, number: int) -> None:
            library.keep_open(ws, key, purpose.strip() or "Recording", path, track, number, rate_hz)
            ws.changed()

        def finished(part: recorded_file.RecordedFile) -> None:
            library.keep_part(ws, part)
            ws.changed()

        def trouble(sentence: str) -> None:
            now_running.failed = sentence
            ws.bus.tell("trouble", {"sentence": sentence})

        def ended() -> None:
            # Stopped by a person it is let go of already; by itself only here.
            with ws.lock:
                if now_running.session == key:
                    now_running.recorder = None
            ws.changed()

        now_running.session, now_running.failed = key, None
        with disk_errors(worded("beginning a recording")):
            now_running.recorder = recorder.Recorder(
                ws.folder.recordings,
                recorded_file.stem_of(purpose, now(), ws.folder.recordings),
                tracks,
                rate_hz=rate_hz,
                file_format=file_format,
                split=Split(wish.get("minutes"), wish.get("megabytes")),
                tell_open=opened,
                tell_part=finished,
                tell_trouble=trouble,
                tell_ended=ended,
            )
    ws.changed()


def stop_recording(ws: Workshop) -> None:
    """Finish the files, measured and listed."""
    now = current(ws)
    with ws.lock:
        held, now.recorder = now.recorder, None
        let_go, now.let_go = now.let_go, None
    if held is None:
        raise Refused("not-recording", worded("It is not recording."))
    if let_go is not None:
        let_go()
    held.stop()
    ws.changed()


def close_recording(ws: Workshop) -> None:
    """Close a recording that runs, and keep it."""
    if current(ws).recorder is not None:
        with suppress(Refused):
            stop_recording(ws)


def split_recording(ws: Workshop) -> None:
    """End the files here and go on in the next ones."""
    held = current(ws).recorder
    if held is None:
        raise Refused("not-recording", worded("It is not recording."))
    held.split_now()


def refuse_while_recording(ws: Workshop) -> None:
    """Who takes part cannot change in the middle of a recording: its tracks would break off."""
    if current(ws).recorder is not None:
        raise Refused(
            "recording",
            worded(
                "It is recording, and this restarts the run. Stop recording first, then change it."
            ),
        )
