"""What is recorded: tracks chosen, begun, split, finished."""

from __future__ import annotations

import uuid
from pathlib import Path
from typing import cast

from obsidian_wren.service import recorder, scene
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.kept import now
from obsidian_wren.service.tracks import Split, Track, tracks_for
from obsidian_wren.service.workshop import Workshop
from obsidian_wren.store.folder import disk_errors
from obsidian_wren.store.track_files import FileFormat


def choose_tracks(ws: Workshop, tracks: list[str], file_format: str, minutes: float | None, megabytes: float | None) -> None:
    """Which tracks are recorded, how, and when a file ends."""
    if not tracks:
        raise Refused("no-track", "A recording needs a track. Choose one.")
    with ws.sessions.begin() as session:
        scene.live_wish(session).tracks = {"tracks": tracks, "format": file_format, "minutes": minutes, "megabytes": megabytes}
    ws.changed()


def start_recording(ws: Workshop, *, purpose: str = "Recording") -> None:
    """The recorder begins a file for every track that is chosen."""
    run = ws.run
    if run is None or run.finished.is_set():
        raise Refused("not-live", "Nothing is live, so there is nothing to record. Start live first.")
    with ws.lock:
        if ws.recorder is not None:
            raise Refused("recording", "It is recording already.")
        with ws.sessions() as session:
            wish = dict(scene.live_wish(session).tracks)
            tracks = tracks_for(ws, session, list(wish.get("tracks") or ["treated"]))
        if not tracks:
            raise Refused("no-track", "None of the chosen tracks is in use. Choose another one.")
        ws.folder.require_space(50_000_000)
        file_format = cast(FileFormat, wish.get("format") or "flac")
        key = uuid.uuid4().hex[:12]
        rate = run.rate_hz

        def opened(path: Path, track: Track, number: int) -> None:
            recorder.keep_open(ws, key, purpose.strip() or "Recording", path, track, number, rate)
            ws.changed()

        def finished(part: recorder.Part) -> None:
            recorder.keep_part(ws, part)
            ws.changed()

        def trouble(sentence: str) -> None:
            ws.recording_failed = sentence
            ws.bus.tell("trouble", {"sentence": sentence})

        def ended() -> None:
            # Stopped by a person it is let go of already; by itself only here.
            with ws.lock:
                if ws.recording_session == key:
                    ws.recorder = None
            ws.changed()

        ws.recording_session, ws.recording_failed = key, None
        with disk_errors("beginning a recording"):
            ws.recorder = recorder.Recorder(
                ws.folder.recordings, recorder.stem_of(purpose, now(), ws.folder.recordings), tracks, rate_hz=rate, file_format=file_format,
                split=Split(wish.get("minutes"), wish.get("megabytes")), tell_open=opened, tell_part=finished, tell_trouble=trouble,
                tell_ended=ended,
            )  # fmt: skip
    ws.changed()


def stop_recording(ws: Workshop) -> None:
    """Finish the files, measured and listed."""
    with ws.lock:
        held, ws.recorder = ws.recorder, None
    if held is None:
        raise Refused("not-recording", "It is not recording.")
    held.stop()
    ws.changed()


def split_recording(ws: Workshop) -> None:
    """End the files here and go on in the next ones."""
    if ws.recorder is None:
        raise Refused("not-recording", "It is not recording.")
    ws.recorder.split_now()
