"""What is live, recorded."""

from __future__ import annotations

from obsidian_wren.core.wording import worded
from obsidian_wren.service import recording
from obsidian_wren.service.errors import Refused
from obsidian_wren.service.live.state import current
from obsidian_wren.service.recording.recording import begin_recording
from obsidian_wren.service.workshop import Workshop


def start_recording(ws: Workshop, *, purpose: str = "Recording") -> None:
    """The recorder begins a file for every track that is chosen. Raises Refused where nothing is
    live."""
    run = current(ws).running
    if run is None:
        raise Refused(
            "not-live", worded("Nothing is live, so there is nothing to record. Start live first.")
        )
    begin_recording(ws, run.rate_hz, purpose=purpose)
    held = recording.current(ws)
    if held.recorder is not None:
        held.let_go = run.follow("recorder", held.recorder.tracks, held.recorder.take)
