"""Loudness, true peak and waveform of sound as it arrives, in memory that does not grow with it.

Source: AES17 for levels, ITU-R BS.1770-5 for true peak.
"""

from __future__ import annotations

import numpy as np

from obsidian_wren.core.chain.filters import run_sections
from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.kernel import plain
from obsidian_wren.core.measure.levels import true_peak_dbtp
from obsidian_wren.core.measure.loudness import k_weighting_sections
from obsidian_wren.core.measure.running_loudness import RunningLoudness

_STEP_S = 0.1
_FADE = 128
_RAMP = 0.5 - 0.5 * np.cos(np.pi * (np.arange(_FADE) + 0.5) / _FADE)
_MOST_STRETCHES = 4096


class RunningPeak:
    """True peak of one channel as it arrives; ``dbtp`` is that of everything so far (BS.1770-5)."""

    def __init__(self) -> None:
        self.dbtp = -np.inf
        self._tail = np.zeros(2 * _FADE)

    def add(self, sound: Samples) -> None:
        """The next ``(n,)`` samples."""
        # Pieces overlap and fade at their ends, so that no end looks like an edge and every sample
        # stands unfaded in one of them.
        piece = np.concatenate([self._tail, sound])
        self._tail = piece[-2 * _FADE :].copy()
        piece[:_FADE] *= _RAMP
        piece[-_FADE:] *= _RAMP[::-1]
        self.dbtp = max(self.dbtp, true_peak_dbtp(piece))


class RunningLevels:
    """``add`` what comes; the numbers are those of everything so far (BS.1770-5, whole steps of
    100 ms)."""

    def __init__(self, *, rate_hz: float, channels: int) -> None:
        self._step = round(_STEP_S * rate_hz)
        self._sections = k_weighting_sections(rate_hz)
        self._states = [np.zeros((len(self._sections), 2)) for _ in range(channels)]
        self._waiting = np.zeros((0, channels))
        self._loudness = RunningLoudness()
        self._highest = np.zeros(0)
        self._steps_each = 1
        self._begun = np.zeros(0)
        self._peaks = [RunningPeak() for _ in range(channels)]

    def add(self, block: Samples) -> None:
        """The next ``(n, channels)`` samples."""
        waiting = np.concatenate([self._waiting, block])
        whole = len(waiting) // self._step * self._step
        self._waiting = waiting[whole:]
        if whole:
            self._measure(waiting[:whole])

    def _measure(self, sound: Samples) -> None:
        power = np.zeros(len(sound))
        for channel, state in zip(sound.T, self._states, strict=True):
            weighted = np.empty(len(sound))
            run_sections(self._sections, state, plain(channel), weighted)
            power += weighted**2
        self._loudness.add(power.reshape(-1, self._step).mean(axis=1))
        self._see(np.abs(sound).max(axis=1).reshape(-1, self._step).max(axis=1))
        for peak, channel in zip(self._peaks, sound.T, strict=True):
            peak.add(channel)

    def _see(self, highest: Samples) -> None:
        """Keep the highest sample of each stretch; once there are many stretches, each holds two
        of before."""
        steps = np.concatenate([self._begun, highest])
        whole = len(steps) // self._steps_each * self._steps_each
        self._begun = steps[whole:]
        self._highest = np.concatenate(
            [self._highest, steps[:whole].reshape(-1, self._steps_each).max(axis=1)]
        )
        while len(self._highest) >= _MOST_STRETCHES:
            if len(self._highest) % 2:
                self._begun = np.concatenate(
                    [np.full(self._steps_each, self._highest[-1]), self._begun]
                )
                self._highest = self._highest[:-1]
            self._highest = self._highest.reshape(-1, 2).max(axis=1)
            self._steps_each *= 2

    @property
    def lufs(self) -> float | None:
        """Integrated loudness, None while nothing passed the gates."""
        return self._loudness.lufs

    @property
    def true_peak_dbtp(self) -> float | None:
        """Highest true peak over all channels, None in silence."""
        highest = max(peak.dbtp for peak in self._peaks)
        return highest if np.isfinite(highest) else None

    def waveform(self, points: int) -> Samples:
        """The highest absolute sample of each of so many stretches ``(points,)``, or of every
        100 ms where there are fewer."""
        rest = [self._begun.max()] if len(self._begun) else []
        highest = np.concatenate([self._highest, rest])
        if len(highest) <= points:
            return highest
        edges = np.linspace(0, len(highest), points, endpoint=False).astype(int)
        return np.asarray(np.maximum.reduceat(highest, edges))
