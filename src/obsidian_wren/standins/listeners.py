"""A call and a recorder: listeners that pick an input by its name."""

from __future__ import annotations

import threading
from pathlib import Path

import numpy as np
import soundfile

from obsidian_wren.core.decibels import Samples

_KEPT_S = 20.0


class Call:
    """A call program: picks one input by name, hears it after a jitter buffer, and keeps the last twenty seconds.

    ``started_with`` is what it picked when it was installed: as so often, the raw microphone.
    """

    kind = "call"

    def __init__(self, name: str, *, picks: str | None, rate_hz: int, latency_s: float = 0.02) -> None:
        self.name = name
        self.picks = picks
        self.rate_hz = rate_hz
        self._lock = threading.Lock()
        self._ring = np.zeros(round(_KEPT_S * rate_hz))
        self._heard = 0
        # What arrives waits in the jitter buffer, so the first sound out of it is silence.
        self._waiting = np.zeros(round(latency_s * rate_hz))

    def hear(self, block: Samples) -> None:
        """Take a block of the input that it picked; as much leaves the jitter buffer as came in."""
        waiting = np.concatenate([self._waiting, block])
        self._push(waiting[: len(block)])
        self._waiting = waiting[len(block) :]

    def _push(self, block: Samples) -> None:
        with self._lock:
            at = (self._heard + np.arange(len(block))) % len(self._ring)
            self._ring[at] = block
            self._heard += len(block)

    @property
    def position(self) -> int:
        """Samples heard since the beginning."""
        return self._heard

    def heard_since(self, position: int) -> Samples:
        """What was heard from a position on, as far as it is kept."""
        with self._lock:
            first = max(position, self._heard - len(self._ring))
            return self._ring[np.arange(first, self._heard) % len(self._ring)].copy()


class Recorder:
    """A recorder program: picks one input by name and writes it to a FLAC file of 24 bit."""

    kind = "recorder"

    def __init__(self, name: str, *, picks: str | None, rate_hz: int) -> None:
        self.name = name
        self.picks = picks
        self.rate_hz = rate_hz
        self._lock = threading.Lock()
        self._file: soundfile.SoundFile | None = None

    def start(self, path: Path) -> None:
        """Begin a file."""
        self._file = soundfile.SoundFile(path, "w", samplerate=self.rate_hz, channels=1, format="FLAC", subtype="PCM_24")

    def hear(self, block: Samples) -> None:
        """Write a block of the input that it picked."""
        with self._lock:
            if self._file is not None:
                self._file.write(np.clip(block, -1.0, 1.0))

    def stop(self) -> None:
        """Close the file."""
        with self._lock:
            if self._file is not None:
                self._file.close()
                self._file = None
