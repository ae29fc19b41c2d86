"""What a recorded file holds, once it is whole."""

from __future__ import annotations

from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

import soundfile

from obsidian_wren.core.measure.running import RunningLevels

POINTS = 240
_CHUNK_S = 1.0


@dataclass(frozen=True)
class RecordedFile:
    """A file that is whole: its frames, its loudness, its true peak, and the highest sample of each
    of some stretches."""

    path: Path
    frames: int
    lufs: float | None
    true_peak_dbtp: float | None
    waveform: tuple[float, ...]


def measured(path: Path, *, channels: int, rate_hz: int) -> RecordedFile:
    """A file as it really lies, read from its beginning as far as it is whole."""
    levels = RunningLevels(rate_hz=rate_hz, channels=channels)
    frames = 0
    # Ended before the first frame, or in the middle of the last: what could be read counts.
    with suppress(soundfile.LibsndfileError, OSError), soundfile.SoundFile(path) as file:
        while len(block := file.read(round(_CHUNK_S * rate_hz), dtype="float64", always_2d=True)):
            levels.add(block)
            frames += len(block)
    return held(path, frames, levels)


def held(path: Path, frames: int, levels: RunningLevels) -> RecordedFile:
    """A file of which all was measured as it was written."""
    waveform = tuple(round(float(h), 4) for h in levels.waveform(POINTS))
    return RecordedFile(path, frames, levels.lufs, levels.true_peak_dbtp, waveform)
