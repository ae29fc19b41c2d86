"""What runs of the recorder."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

from obsidian_wren.core.decibels import Samples
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

    def hear(self, signals: Mapping[str, Samples], mixed: Mapping[str, Samples]) -> None:
        """A block of every signal and mix of what is live, for the recorder if it records."""
        if self.recorder is not None:
            self.recorder.tap(signals, mixed)


def current(ws: Workshop) -> RecordingState:
    """The recorder as it runs."""
    return ws.own(RecordingState)
