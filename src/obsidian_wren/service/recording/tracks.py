"""What can be recorded, and how much room the disk has for it. Nothing here computes."""

from __future__ import annotations

import shutil
from collections.abc import Sequence
from typing import TYPE_CHECKING

from sqlalchemy.orm import Session

from obsidian_wren.core.wording import _
from obsidian_wren.service.mixes import scene
from obsidian_wren.store.folder import DataFolder
from obsidian_wren.voice.records import RecordedTrack

if TYPE_CHECKING:
    from obsidian_wren.voice.records import FileFormat, RecordedTrack

# Said when less than this many minutes of room are left, while there is time to do something.
EARLY_MIN = 30.0
# Beyond a day nobody counts.
MOST_MIN = 1440.0
_LEAST_BYTES = 50_000_000


def tracks_for(session: Session, wanted: list[str]) -> list[RecordedTrack]:
    """The tracks of a recording: what is chosen, of what is in use."""
    # With what is asked of a voice.
    found = []
    routing, _inputs = scene.routes(session)
    if "treated" in wanted:
        found.append(RecordedTrack("voice treated", _("treated voice"), "voice treated", 1))
    if "raw" in wanted:
        found.append(RecordedTrack("voice raw", _("raw voice"), "voice raw", 1))
    if "returns" in wanted:
        for key, source in routing.sources.items():
            if source.kind == "return":
                found.append(RecordedTrack(key, source.name, key, 1))
    if "mix" in wanted and "recorder" in routing.destinations:
        found.append(RecordedTrack("mix", "mix", "mix recorder", 2))
    return found


def bytes_per_s(tracks: Sequence[RecordedTrack], rate_hz: int, file_format: FileFormat) -> float:
    """What tracks take.

    FLAC of speech takes about half of what WAV does; counted with seven tenths.
    """
    channels = sum(track.channels for track in tracks)
    return channels * rate_hz * 3 * (0.7 if file_format == "flac" else 1.0)


def room_left_min(folder: DataFolder, per_s: float) -> float:
    """Minutes that the disk has room for at so many bytes a second, at most a day."""
    free = shutil.disk_usage(folder.path).free - _LEAST_BYTES
    return min(MOST_MIN, max(0.0, free / max(per_s, 1.0) / 60.0))
