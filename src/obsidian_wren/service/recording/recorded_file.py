"""One file of a recording: its name, and what it measures once it is whole."""

from __future__ import annotations

import re
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

import soundfile

from obsidian_wren.core.measure.running import RunningLevels
from obsidian_wren.service.recording.tracks import Track

POINTS = 240
_CHUNK_S = 1.0


@dataclass(frozen=True)
class RecordedFile:
    """A file that is whole: what it says of itself."""

    path: Path
    track: Track
    number: int
    frames: int
    lufs: float | None
    true_peak_dbtp: float | None
    waveform: tuple[float, ...]


def measured(part: RecordedFile, rate_hz: int) -> RecordedFile:
    """A file as it really lies, read from its beginning as far as it is whole."""
    levels = RunningLevels(rate_hz=rate_hz, channels=part.track.channels)
    frames = 0
    # Ended before the first frame, or in the middle of the last: what could be read counts.
    with suppress(soundfile.LibsndfileError, OSError), soundfile.SoundFile(part.path) as file:
        while len(block := file.read(round(_CHUNK_S * rate_hz), dtype="float64", always_2d=True)):
            levels.add(block)
            frames += len(block)
    return part_of(part.path, part.track, part.number, frames, levels)


def part_of(
    path: Path, track: Track, number: int, frames: int, levels: RunningLevels
) -> RecordedFile:
    """What a finished file says of itself."""
    waveform = tuple(round(float(h), 4) for h in levels.waveform(POINTS))
    return RecordedFile(path, track, number, frames, levels.lufs, levels.true_peak_dbtp, waveform)


def stem_of(purpose: str, at: str, folder: Path | None = None) -> str:
    """A name by date and purpose that every system takes; numbered where a recording of this
    second is there already."""
    clean = re.sub(r"[^\w\- ]", "", purpose, flags=re.UNICODE).strip()[:60] or "Recording"
    stem = f"{at[:10]} {at[11:19].replace(':', '-')} {clean}"
    names = [path.name for path in folder.iterdir()] if folder is not None else []
    number, found = 1, stem
    while any(name.startswith(f"{found} ") for name in names):
        number += 1
        found = f"{stem} ({number})"
    return found
