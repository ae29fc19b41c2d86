"""What runs of the recorder."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from obsidian_wren.service.workshop import Workshop

if TYPE_CHECKING:
    from obsidian_wren.service.recording.recorder import Recorder


@dataclass
class RecordingState:
    """The recorder while it records, the key of its files, why it ended by itself, and what lets go
    of the tracks that it hears, when all that was there is heard."""

    recorder: Recorder | None = None
    session: str | None = None
    failed: str | None = None
    let_go: Callable[[], None] | None = None


def current(ws: Workshop) -> RecordingState:
    """The recorder as it runs."""
    return ws.own(RecordingState)
