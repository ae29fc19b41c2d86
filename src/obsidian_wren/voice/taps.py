"""A source of the sound server that is heard in a thread of its own: a monitor, or an input of
ours."""

from __future__ import annotations

import threading
from collections.abc import Callable
from contextlib import suppress

from obsidian_wren.core.decibels import Samples
from obsidian_wren.ports.system_sound import FEED_HZ, NoSoundServer, SystemSound
from obsidian_wren.ports.world import SourceGone

_BLOCK_S = 0.01
_AGAIN_S = 0.3


class Tap:
    """Hands on blocks ``(n, channels)`` at ``FEED_HZ`` as they come; what goes away is taken up
    again when it is back. ``name`` is asked each time, None for nothing to hear. ``gaps`` counts
    the times that sound was lost because it waited here for more than ``patience_s``."""

    def __init__(
        self,
        system: SystemSound,
        name: Callable[[], str | None],
        hear: Callable[[Samples], None],
        *,
        patience_s: float | None = None,
    ) -> None:
        self._system, self._name, self._hear = system, name, hear
        self._patience_s = patience_s
        self.gaps = 0
        self._ended = threading.Event()
        self.hearing = threading.Event()
        self._thread = threading.Thread(target=self._work, name="tap", daemon=True)
        self._thread.start()

    def end(self) -> None:
        """Hear nothing more."""
        self._ended.set()
        self._thread.join(timeout=5)

    def _work(self) -> None:
        while not self._ended.is_set():
            with suppress(SourceGone, NoSoundServer):
                self._listen()
            self.hearing.clear()
            self._ended.wait(_AGAIN_S)

    def _listen(self) -> None:
        name = self._name()
        if name is None:
            return
        microphone = self._system.open_microphone(
            name, rate_hz=FEED_HZ, block_s=_BLOCK_S, patience_s=self._patience_s
        )
        before = self.gaps
        try:
            while not self._ended.is_set():
                block = microphone.read(round(_BLOCK_S * FEED_HZ))
                self.hearing.set()
                self.gaps = before + microphone.gaps
                self._hear(block[:, None] if block.ndim == 1 else block)
                if self._name() != name:
                    return
        finally:
            microphone.close()
