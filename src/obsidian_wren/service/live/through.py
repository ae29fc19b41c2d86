"""A microphone through a chain into a feed, without the page: until it is told to stop.

The microphone may go away: listeners hear silence, and it is taken up again as soon as it is back.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from obsidian_wren.core.chain.engine import VoiceChain
from obsidian_wren.core.chain.stage import StageSpec
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.levels import peak_dbfs, rms_dbfs
from obsidian_wren.ports.system_sound import FEED_HZ, LiveMicrophone, SystemFeed
from obsidian_wren.ports.world import SourceGone
from obsidian_wren.voice.pace import BLOCK_S
from obsidian_wren.voice.priority import come_first, quick_switching

_TELL_EVERY_S = 1.0
_LOOK_EVERY_S = 0.2


@dataclass(frozen=True)
class Passing:
    """What went through in the last second: level and peak behind the chain in dBFS, the delay from
    the microphone's sound to the feed in ms, gaps so far; or why it is silent."""

    level_dbfs: float | None
    peak_dbfs: float | None
    delay_ms: float | None
    gaps: int
    silent_because: str | None = None


class Through:
    """Runs until :meth:`stop`; ``tell`` is given a :class:`Passing` once a second.

    ``open_microphone`` gives a stream at the rate of feeds; ``channel`` counts from 0.
    """

    def __init__(
        self,
        open_microphone: Callable[[], LiveMicrophone],
        feed: SystemFeed,
        specs: Sequence[StageSpec],
        *,
        channel: int,
        tell: Callable[[Passing], None],
    ) -> None:
        self._open, self._feed, self._specs = open_microphone, feed, specs
        self._channel, self._tell = channel, tell
        self._stopped = threading.Event()
        self._gaps = 0
        self._fed_before = feed.gaps

    def stop(self) -> None:
        """End it within a block."""
        self._stopped.set()

    def run(self) -> None:
        """Until stopped. Raises SourceGone where the microphone was never there."""
        # What loads with the first block would hold the microphone up.
        VoiceChain(self._specs, FEED_HZ).process(np.zeros(round(BLOCK_S * FEED_HZ)))
        microphone = self._open()
        with quick_switching(urgent=True):
            come_first()
            while True:
                try:
                    self._pass(microphone)
                    return
                except SourceGone as gone:
                    because = str(gone)
                finally:
                    self._gaps += microphone.gaps
                    microphone.close()
                found = self._wait(because)
                if found is None:
                    return
                microphone = found

    def _pass(self, microphone: LiveMicrophone) -> None:
        rate = microphone.rate_hz
        chain, count = VoiceChain(self._specs, rate), round(BLOCK_S * rate)
        delay_s = chain.delay_samples / rate + BLOCK_S
        treated: list[Samples] = []
        waited: list[float] = []
        next_s = time.monotonic() + _TELL_EVERY_S
        while not self._stopped.is_set():
            block = chain.process(self._one(microphone.read(count)))
            self._feed.write(block)
            now = time.monotonic()
            waited.append(now - microphone.arrived_s)
            treated.append(block)
            if now >= next_s:
                next_s = now + _TELL_EVERY_S
                sound = np.concatenate(treated)
                self._tell(
                    Passing(
                        rms_dbfs(sound),
                        peak_dbfs(sound),
                        1000.0 * (delay_s + float(np.median(waited))),
                        self._all_gaps(microphone.gaps),
                    )
                )
                treated, waited = [], []

    def _all_gaps(self, of_this_microphone: int = 0) -> int:
        return self._gaps + of_this_microphone + self._feed.gaps - self._fed_before

    def _one(self, block: Samples) -> Samples:
        if block.ndim == 1:
            return block
        return block[:, self._channel]

    def _wait(self, because: str) -> LiveMicrophone | None:
        """Silence at the pace of sound until the microphone is back; None where stopped."""
        self._tell(Passing(None, None, None, self._all_gaps(), because))
        silence = np.zeros(round(BLOCK_S * FEED_HZ))
        next_s = look_s = time.monotonic()
        while not self._stopped.wait(max(0.0, next_s - time.monotonic())):
            self._feed.write(silence)
            next_s += BLOCK_S
            if time.monotonic() >= look_s:
                look_s = time.monotonic() + _LOOK_EVERY_S
                try:
                    return self._open()
                except SourceGone:
                    continue
        return None
