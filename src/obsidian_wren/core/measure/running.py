"""Loudness, true peak and waveform of sound as it comes, in memory that grows by a few numbers a second."""

from __future__ import annotations

import numpy as np
import scipy.signal

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.measure.levels import true_peak_dbtp
from obsidian_wren.core.measure.loudness import k_weighting_sections, lufs_of_energies

_STEP_S = 0.1
_FADE = 128


class RunningLevels:
    """``add`` what comes; the numbers are those of everything so far (BS.1770-5, whole steps of 100 ms)."""

    def __init__(self, *, rate_hz: float, channels: int) -> None:
        self._step = round(_STEP_S * rate_hz)
        self._sections = k_weighting_sections(rate_hz)
        self._state = np.zeros((len(self._sections), 2, channels))
        self._waiting = np.zeros((0, channels))
        self._energies: list[float] = []
        self._highest: list[float] = []
        self._tail = np.zeros((2 * _FADE, channels))
        self._true_peak_dbtp = -np.inf

    def add(self, block: Samples) -> None:
        """The next ``(n, channels)`` samples."""
        waiting = np.concatenate([self._waiting, block])
        whole = len(waiting) // self._step * self._step
        self._waiting = waiting[whole:]
        if whole:
            self._measure(waiting[:whole])

    def _measure(self, sound: Samples) -> None:
        weighted, self._state = scipy.signal.sosfilt(self._sections, sound, axis=0, zi=self._state)
        self._energies += [float(e) for e in (weighted**2).sum(axis=1).reshape(-1, self._step).sum(axis=1)]
        self._highest += [float(h) for h in np.abs(sound).max(axis=1).reshape(-1, self._step).max(axis=1)]
        self._peak(sound)

    def _peak(self, sound: Samples) -> None:
        # Pieces overlap and fade at their ends, so that no end looks like an edge and every sample stands unfaded in one of them.
        piece = np.concatenate([self._tail, sound])
        self._tail = piece[-2 * _FADE :]
        ramp = 0.5 - 0.5 * np.cos(np.pi * (np.arange(_FADE) + 0.5) / _FADE)
        window = np.concatenate([ramp, np.ones(len(piece) - 2 * _FADE), ramp[::-1]])
        for channel in piece.T:
            self._true_peak_dbtp = max(self._true_peak_dbtp, true_peak_dbtp(np.ascontiguousarray(channel * window)))

    @property
    def lufs(self) -> float | None:
        """Integrated loudness, None while nothing passed the gates."""
        found = lufs_of_energies(np.array(self._energies), step_s=_STEP_S, samples_per_step=self._step)
        return found if np.isfinite(found) else None

    @property
    def true_peak_dbtp(self) -> float | None:
        """Highest true peak over all channels, None in silence."""
        return self._true_peak_dbtp if np.isfinite(self._true_peak_dbtp) else None

    def waveform(self, points: int) -> Samples:
        """The highest absolute sample of each of so many stretches ``(points,)``, or of every 100 ms where there are fewer."""
        highest = np.array(self._highest)
        if len(highest) <= points:
            return highest
        edges = np.linspace(0, len(highest), points, endpoint=False).astype(int)
        return np.asarray(np.maximum.reduceat(highest, edges))
