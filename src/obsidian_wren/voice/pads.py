"""The clips that sound."""

from __future__ import annotations

import threading

import numpy as np

from obsidian_wren.core.decibels import Samples


class Pads:
    """Clips as a source of the run: what is pressed sounds, several at once."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._playing: dict[int, Samples] = {}

    def press(self, clip_id: int, sound: Samples) -> None:
        """Begin a clip, from its beginning if it sounds already."""
        with self._lock:
            self._playing[clip_id] = sound

    def release(self, clip_id: int) -> None:
        """Stop a clip, quickly but without a click."""
        with self._lock:
            sound = self._playing.get(clip_id)
            if sound is not None:
                fade = np.linspace(1.0, 0.0, min(len(sound), 480))
                self._playing[clip_id] = sound[: len(fade)] * fade

    @property
    def sounding(self) -> list[int]:
        """Which clips sound."""
        with self._lock:
            return sorted(self._playing)

    def close(self) -> None:
        """They are played again in the next run."""

    def read(self, count: int) -> Samples:
        """The next ``(count, 2)`` samples."""
        out = np.zeros(count)
        with self._lock:
            for clip_id, sound in list(self._playing.items()):
                part, rest = sound[:count], sound[count:]
                out[: len(part)] += part
                if len(rest):
                    self._playing[clip_id] = rest
                else:
                    del self._playing[clip_id]
        return np.repeat(out[:, None], 2, axis=1)

    def sample(self, seconds: float) -> Samples:
        """Nothing plays by itself."""
        return np.zeros((round(seconds * 48_000), 2))
