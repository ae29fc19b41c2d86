"""What is recorded: which tracks, how, under which name."""

from __future__ import annotations

import re
import uuid
from pathlib import Path
from typing import cast

from obsidian_wren.core.wording import _
from obsidian_wren.service.context import AppContext
from obsidian_wren.service.context.clock import now
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.mixes import scene
from obsidian_wren.service.recording import library
from obsidian_wren.service.recording.state import current
from obsidian_wren.service.recording.tracks import tracks_for
from obsidian_wren.voice import records


def choose_tracks(
    app: AppContext,
    tracks: list[str],
    file_format: str,
    minutes: float | None,
    megabytes: float | None,
) -> None:
    """Which tracks are recorded, how, and when a file ends."""
    if not tracks:
        raise Refused("no-track", _("A recording needs a track. Choose one."))
    with app.sessions.begin() as session:
        scene.live_wish(session).tracks = {
            "tracks": tracks,
            "format": file_format,
            "minutes": minutes,
            "megabytes": megabytes,
        }
    app.changed()


def asked_for(app: AppContext, rate_hz: int, purpose: str) -> records.BeginRecording:
    """What the recorder is asked for: a file for every track that is chosen, of sound at the rate
    of what is live. Raises Refused, FolderError."""
    with app.sessions() as session:
        wish = dict(scene.live_wish(session).tracks)
        tracks = tracks_for(session, list(wish.get("tracks") or ["treated"]))
    if not tracks:
        raise Refused("no-track", _("None of the chosen tracks is in use. Choose another one."))
    app.folder.require_space(50_000_000)
    library.list_what_was_left(app)
    return records.BeginRecording(
        uuid.uuid4().hex[:12],
        purpose.strip() or "Recording",
        str(app.folder.recordings.absolute()),
        stem_of(purpose, now(), app.folder.recordings),
        tuple(tracks),
        cast(records.FileFormat, wish.get("format") or "flac"),
        wish.get("minutes"),
        wish.get("megabytes"),
    )


def stem_of(purpose: str, at: str, folder: Path) -> str:
    """A name by date and purpose that every system takes; numbered where a recording of this
    second is there already."""
    clean = re.sub(r"[^\w\- ]", "", purpose, flags=re.UNICODE).strip()[:60] or "Recording"
    stem = f"{at[:10]} {at[11:19].replace(':', '-')} {clean}"
    names = [path.name for path in folder.iterdir()]
    number, found = 1, stem
    while any(name.startswith(f"{found} ") for name in names):
        number += 1
        found = f"{stem} ({number})"
    return found


def refuse_while_recording(app: AppContext) -> None:
    """Who takes part cannot change in the middle of a recording: its tracks would break off."""
    if current(app).recorder is not None:
        raise Refused(
            "recording",
            _(
                "You are recording, and this restarts the run. Stop recording first, then"
                " change it."
            ),
        )
