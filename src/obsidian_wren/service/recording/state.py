"""What is recorded now. Nothing here computes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from obsidian_wren.service.context import AppContext

if TYPE_CHECKING:
    from obsidian_wren.voice.records import BeginRecording


@dataclass
class RecordingState:
    """What the recorder was asked for while it records, and why it ended by itself."""

    recorder: BeginRecording | None = None
    failed: str | None = None

    @property
    def session(self) -> str | None:
        """The key of the files in hand."""
        return None if self.recorder is None else self.recorder.key


def current(app: AppContext) -> RecordingState:
    """What is recorded now."""
    return app.own(RecordingState)
