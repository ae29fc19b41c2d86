"""The edge between a mix and a listener: one that takes sound at a rate and by a clock of its own,
or one that takes whatever comes.

Source: practice: a queue and a slow loop on its level, so that two clocks agree.
"""

from __future__ import annotations

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.mix.block import WAITING_S
from obsidian_wren.core.mix.resampling import ClockFollower, Resampler


class Edge:
    """``push`` what comes by our clock, ``pull`` what is taken by the other.

    What waits between the two is kept at ``waiting_s`` beyond a block by a ratio that follows both
    clocks. What is taken before it came is silence and is counted as a dropout; what came while
    nothing was taken is let go once a second waits.
    """

    def __init__(
        self, *, from_hz: float, to_hz: float, channels: int, waiting_s: float = WAITING_S
    ) -> None:
        self.dropouts = 0
        self.waiting_s = waiting_s
        self._from_hz, self._to_hz = from_hz, to_hz
        self._resampler = Resampler(from_hz=from_hz, to_hz=to_hz, channels=channels)
        self._follower = ClockFollower(wanted_samples=waiting_s * from_hz, rate_hz=from_hz)
        # The filter keeps its own length of the first block; as much more waits, so that nothing
        # has to be made up for.
        first_s = waiting_s + self._resampler.delay_samples / from_hz
        self._ready = np.zeros((round(first_s * to_hz), channels))
        self._begun = False

    @property
    def delay_s(self) -> float:
        """How long sound takes through the edge, seconds: the filter and what waits."""
        return self._resampler.delay_samples / self._from_hz + len(self._ready) / self._to_hz

    @property
    def drift_ppm(self) -> float:
        """By how much the other clock is slower than ours, parts per million, as far as it is
        learned."""
        return self._follower.drift_ppm

    def push(self, block: Samples) -> None:
        """``(n, channels)`` samples at our rate."""
        if self._begun:
            # Seen at the same place of each round, so that blocks do not look like drift.
            waiting = len(self._ready) * self._from_hz / self._to_hz
            ratio = self._follower.see(waiting, elapsed_samples=len(block))
            self._resampler.ratio = self._from_hz / self._to_hz * ratio
        came = self._resampler.process(block)
        self._ready = np.concatenate([self._ready, came])[-round(self._to_hz) :]

    def pull(self, count: int) -> Samples:
        """The next ``(count, channels)`` samples at the other rate."""
        self._begun = True
        out, self._ready = self._ready[:count], self._ready[count:]
        missing = count - len(out)
        if not missing:
            return out
        self.dropouts += 1
        return np.concatenate([out, np.zeros((missing, out.shape[1]))])


class Straight:
    """The edge to a listener without a clock: what comes goes on at once, at its rate."""

    waiting_s = 0.0
    dropouts = 0
    drift_ppm = 0.0

    def __init__(self, *, from_hz: float, to_hz: float, channels: int) -> None:
        self._from_hz = from_hz
        self._resampler = (
            None if from_hz == to_hz else Resampler(from_hz=from_hz, to_hz=to_hz, channels=channels)
        )
        self._ready = np.zeros((0, channels))

    @property
    def delay_s(self) -> float:
        """How long sound takes through the edge, seconds: the filter, where there is one."""
        return self._resampler.delay_samples / self._from_hz if self._resampler else 0.0

    def push(self, block: Samples) -> None:
        """``(n, channels)`` samples at our rate."""
        self._ready = self._resampler.process(block) if self._resampler else block

    def pull(self, count: int) -> Samples:
        """All that came ``(n, channels)``, at the other rate, whatever is asked for."""
        return self._ready
