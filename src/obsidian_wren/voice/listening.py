"""A stream that somebody listens into at the pace of sound, beside what is live."""

from __future__ import annotations

import threading

from obsidian_wren.ports.world import SoundStream
from obsidian_wren.voice.pace import Pace
from obsidian_wren.voice.shared import SharedWriter

_BLOCK_S = 0.02


class Listening:
    """Reads a stream into memory that whoever listens can read, until :meth:`end`."""

    def __init__(self, stream: SoundStream, share: SharedWriter) -> None:
        self._stream, self._share = stream, share
        self._ended = threading.Event()
        self._worker = threading.Thread(target=self._work, name="listening", daemon=True)
        self._worker.start()

    def end(self) -> None:
        """Listen no more."""
        self._ended.set()
        self._worker.join(timeout=5)

    def _work(self) -> None:
        pace = Pace(self._stream.rate_hz, 1.0)
        while not self._ended.is_set():
            block = self._stream.read(round(_BLOCK_S * self._stream.rate_hz))
            if not len(block):
                break
            self._share.hear({HEARD: block if block.ndim == 1 else block[:, 0]}, {})
            pace.keep(len(block))
        self._stream.close()
        self._share.close()


# What the track of a microphone is called, live or only listened into.
HEARD = "voice as heard"
