"""Takes what the loudspeaker plays out of a microphone, block by block.

What is played is brought to the microphone's clock, and looked for. Once its lag is found the way
is learned (``echo_path``), and what the filter leaves is taken by a mask (``residual``). Before
that, and where nothing of it is heard, the microphone passes as it is.

Source: see those.
"""

from __future__ import annotations

import math

import numpy as np

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.loudspeaker.arrival import Arrival
from obsidian_wren.core.loudspeaker.clock_slip import ClockSlip
from obsidian_wren.core.loudspeaker.echo_path import BLOCK_S, EchoPath
from obsidian_wren.core.loudspeaker.residual import Residual
from obsidian_wren.core.mix.resampling import Resampler

# The first wave is looked for so long before the lag that was found.
_BEFORE_S = 0.008
_SPARE = 24
# What is played is only told to be lowered where it is most of what is heard.
_MOSTLY, _FALL_STEP_DB = 0.5, 0.3
_CHANGED = 0.1
# How fast it is followed, from look to look.
_LOUDNESS_FOLLOW = 0.2


class LoudspeakerRemoval:
    """The microphone without what is played, later by ``delay_samples``."""

    def __init__(self, *, rate_hz: float) -> None:
        self.rate_hz = rate_hz
        self._path = EchoPath(rate_hz=rate_hz)
        self._block = self._path.block
        self._residual = Residual(rate_hz=rate_hz)
        self._arrival = Arrival(rate_hz=rate_hz)
        self._slip = ClockSlip(rate_hz=rate_hz, bins=self._block + 1)
        self._clock = Resampler(from_hz=rate_hz, to_hz=rate_hz, unheard=True)
        self._slack = round(self._clock.delay_samples) + _SPARE
        self._played, self._heard = np.zeros(0), np.zeros(0)
        self._ready = np.zeros(self._block + self._slack)
        self.delay_samples = self._block + self._slack + self._residual.delay_samples
        self._lowered_db: float | None = None
        self._last_played = np.zeros(self._block)
        # By how many blocks what is played is behind of late.
        self._ahead = 0
        self.lag_s: float | None = None
        self._loudness = 1.0

    @property
    def drift_ppm(self) -> float:
        """By how much the clock of what is played is found to be slower, parts per million."""
        return self._slip.ppm

    @property
    def lowered_db(self) -> float | None:
        """By how much what is played falls where it is most of what is heard, dB: in one such block
        of five more. None before there was any."""
        return self._lowered_db

    def process(self, heard: Samples, played: Samples) -> Samples:
        """``(n,)`` samples of the microphone, and as many of what is played meanwhile."""
        self._clock.ratio = 1.0 - 1e-6 * self._slip.ppm
        same_clock = self._clock.process(played[:, None])[:, 0]
        self._played = np.concatenate([self._played, same_clock])
        self._heard = np.concatenate([self._heard, heard])
        done = [self._ready]
        while len(self._heard) >= self._block and self._play():
            done.append(self._step(self._heard[: self._block]))
            self._heard = self._heard[self._block :]
        whole = np.concatenate(done)
        out, self._ready = whole[: len(heard)], whole[len(heard) :]
        return out

    def _play(self) -> bool:
        """Play what belongs to the next block of the microphone; whether it can be gone through.
        Where clocks differ, one side gets ahead by a block now and then."""
        ahead = len(self._played) - len(self._heard)
        if ahead < -self._slack and len(self._played) < self._block:
            # What is played lags: what arrived so late from it now arrives a block sooner.
            if self._path.late_blocks > 0:
                self._path.late_blocks -= 1
                self._ahead += 1
            else:
                self._path.play(np.zeros(self._block))
            return True
        if len(self._played) < self._block:
            return False
        self._play_block()
        if ahead >= self._block and len(self._played) >= self._block:
            self._play_block()
            self._path.late_blocks = min(self._path.late_blocks + 1, self._path.most_late_blocks)
            self._ahead -= 1
        return True

    def _play_block(self) -> None:
        self._path.play(self._played[: self._block])
        self._last_played = self._played[: self._block]
        self._played = self._played[self._block :]

    def _step(self, heard: Samples) -> Samples:
        found = self._arrival.hear(self._last_played, heard)
        if found is not None:
            self._arrives(*found)
        before = float(heard @ heard)
        if self.lag_s is None:
            return self._residual.process(heard, None, changed=0.0)
        left, taken = self._path.step(heard)
        out = self._residual.process(left, taken, changed=self._path.changed)
        if float(taken @ taken) > _MOSTLY * before > 0.0:
            self._see_fall(10.0 * math.log10(before / max(float(out @ out), 1e-20)))
        self._slip.see(self._path.weights, known=self._path.changed < _CHANGED)
        return out

    def _see_fall(self, fall_db: float) -> None:
        """Follow what four of five falls stay under: the near voice is in some of them."""
        now = 0.0 if self._lowered_db is None else self._lowered_db
        self._lowered_db = now + _FALL_STEP_DB * (0.8 if fall_db > now else -0.2)

    def _arrives(self, lag_s: float, loudness: float) -> None:
        """A lag that is new by more than a block begins it anew."""
        blocks = max(0, math.floor((lag_s - _BEFORE_S) / BLOCK_S))
        if self.lag_s is None or abs(self._path.late_blocks - blocks) > 1:
            self._path.begin(loudness, late_blocks=blocks)
            self._slip.moved()
            self._loudness = loudness
        self._loudness *= (loudness / self._loudness) ** _LOUDNESS_FOLLOW
        self._path.expect(self._loudness)
        self.lag_s = lag_s + self._ahead * BLOCK_S
