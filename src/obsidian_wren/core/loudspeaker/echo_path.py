"""The way from what is played to the microphone, learned while both sides may talk.

A filter in partitions over frequency; each weight has a variance of its own, and the step of each
follows from it and from the power of what the filter cannot explain, so it falls by itself while
the near voice talks and rises again after what is played has changed its way. Where the filter's
own output is left over in what remains, the way is another one: the variances are raised then.

Source: Enzner and Vary (2006), "Frequency-domain adaptive Kalman filter for acoustic echo control
in hands-free telephones"; Kuech, Mabande and Enzner (2014) for partitions; the numbers by
measurement.
"""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt

from obsidian_wren.core.decibels import Samples
from obsidian_wren.core.kernel import kernel

Single = npt.NDArray[np.float32]

BLOCK_S = 0.01
LONGEST_S = 0.2
# From what is played to what arrives, the longest way to the first wave.
MOST_DELAY_S = 0.3
# How much of a weight is believed after a block, squared; how it is expected to die away; and how
# large it may be at first.
_STAYS, _DECAY_S, _AT_FIRST = 0.998, 0.6, 20.0
_LEAST_SHARE = 1e-4
# The near side's power is averaged over time, and over bins where it rises.
_NEAR_STAYS, _NEAR_BINS = 0.8, 5
# What is held against each other to see whether the way has changed, and from which share on.
_CHANGED_FOLLOW, _CHANGED, _RAISED = 0.03, 0.2, 0.3
_CONSTRAINED = 1


@kernel(
    "void(f4[:, :, ::1], i8, f4[:, :, ::1], f4[:, ::1])",
    fastmath=True,
    error_model="numpy",
)
def _explained(played: Single, first: int, weights: Single, out: Single) -> None:
    """What the weights ``(2, partitions, bins)`` make of spectra ``(2, kept, bins)``."""
    kept, bins = played.shape[1], played.shape[2]
    real, imaginary = out[0], out[1]
    for k in range(bins):
        real[k] = 0.0
        imaginary[k] = 0.0
    for p in range(weights.shape[1]):
        at = (first + p) % kept
        x, y = played[0, at], played[1, at]
        u, v = weights[0, p], weights[1, p]
        for k in range(bins):
            real[k] += x[k] * u[k] - y[k] * v[k]
        for k in range(bins):
            imaginary[k] += x[k] * v[k] + y[k] * u[k]


@kernel(
    "void(f4[:, :, ::1], i8, f4[:, :, ::1], f4[:, ::1], f4[:, ::1], f4[::1], f4[::1], f4, f4)",
    fastmath=True,
    error_model="numpy",
)
def _learn(
    played: Single,
    first: int,
    weights: Single,
    variances: Single,
    left: Single,
    near: Single,
    least: Single,
    stays: float,
    raised: float,
) -> None:
    kept, bins = played.shape[1], played.shape[2]
    steps = np.zeros(bins, dtype=np.float32)
    for p in range(weights.shape[1]):
        at = (first + p) % kept
        x, y, variance = played[0, at], played[1, at], variances[p]
        if raised > 0.0:
            u, v = weights[0, p], weights[1, p]
            for k in range(bins):
                variance[k] = max(variance[k], raised * (u[k] * u[k] + v[k] * v[k]))
        for k in range(bins):
            steps[k] += variance[k] * (x[k] * x[k] + y[k] * y[k])
    for k in range(bins):
        steps[k] = np.float32(1.0) / (steps[k] + np.float32(2.0) * near[k] + np.float32(1e-18))
    goes = np.float32(1.0) - stays
    for p in range(weights.shape[1]):
        at = (first + p) % kept
        x, y, variance = played[0, at], played[1, at], variances[p]
        u, v, more = weights[0, p], weights[1, p], goes * least[p]
        for k in range(bins):
            step = variance[k] * steps[k]
            u[k] += step * (x[k] * left[0, k] + y[k] * left[1, k])
            v[k] += step * (x[k] * left[1, k] - y[k] * left[0, k])
            known = np.float32(0.5) * step * (x[k] * x[k] + y[k] * y[k])
            variance[k] = (
                stays * (np.float32(1.0) - known) * variance[k]
                + goes * (u[k] * u[k] + v[k] * v[k])
                + more
            )


class EchoPath:
    """The way at a rate, in blocks of :data:`BLOCK_S`."""

    def __init__(self, *, rate_hz: float) -> None:
        self.block = round(BLOCK_S * rate_hz)
        bins = self.block + 1
        count = math.ceil(LONGEST_S / BLOCK_S)
        self._kept = count + math.ceil(MOST_DELAY_S / BLOCK_S) + 2
        self._played = np.zeros((2, self._kept, bins), dtype=np.float32)
        self._head = 0
        self.weights = np.zeros((2, count, bins), dtype=np.float32)
        expected = 10.0 ** (-6.0 * np.arange(count) * BLOCK_S / _DECAY_S) * _AT_FIRST
        self._expected = expected.astype(np.float32)
        self._least = (expected * _LEAST_SHARE).astype(np.float32)
        self._variances = np.repeat(self._expected[:, None], bins, axis=1)
        self._near = np.zeros(bins, dtype=np.float32)
        self._before = np.zeros(self.block)
        self._out = np.zeros((2, bins), dtype=np.float32)
        self._padded = np.zeros(2 * self.block, dtype=np.float32)
        self._across = self._over = 0.0
        self._constrain = 0
        self._edges = np.ones(_NEAR_BINS) / _NEAR_BINS
        # Whole blocks by which what arrives is later than what is played.
        self.late_blocks = 0

    @property
    def most_late_blocks(self) -> int:
        """The most that :attr:`late_blocks` can be."""
        return self._kept - self.weights.shape[1]

    @property
    def changed(self) -> float:
        """How much of what the filter makes is left over in what remains, 0 to 1."""
        return min(max(-self._across / (self._over + 1e-20), 0.0), 1.0)

    def play(self, block: Samples) -> None:
        """The next block ``(block,)`` of what is played."""
        self._head = (self._head - 1) % self._kept
        bins = np.fft.rfft(np.concatenate([self._before, block], dtype=np.float32))
        self._played[0, self._head], self._played[1, self._head] = bins.real, bins.imag
        self._before = block

    def be_late(self, blocks: int) -> None:
        """What arrives is so many whole blocks later than what is played; the weights go along."""
        blocks = min(max(blocks, 0), self.most_late_blocks)
        by = blocks - self.late_blocks
        self.late_blocks = blocks
        count = self.weights.shape[1]
        if abs(by) >= count:
            self.weights[:] = 0.0
            self._variances[:] = self._expected[:, None]
        elif by > 0:
            self.weights[:, : count - by] = self.weights[:, by:].copy()
            self._variances[: count - by] = self._variances[by:].copy()
            self.weights[:, count - by :] = 0.0
            self._variances[count - by :] = self._expected[count - by :, None]
        elif by < 0:
            self.weights[:, -by:] = self.weights[:, :by].copy()
            self._variances[-by:] = self._variances[:by].copy()
            self.weights[:, :-by] = 0.0
            self._variances[:-by] = self._expected[:-by, None]

    def step(self, heard: Samples) -> tuple[Samples, Samples]:
        """What is left of a block ``(block,)`` of the microphone, and what was taken, as many."""
        first = (self._head + self.late_blocks) % self._kept
        _explained(self._played, first, self.weights, self._out)
        single = np.fft.irfft(self._out[0] + 1j * self._out[1], 2 * self.block)
        echo = single[self.block :].astype(np.float64)
        left = heard - echo
        # Low frequencies would outweigh the rest.
        made, over = np.diff(echo), np.diff(left)
        self._across += (float(made @ over) - self._across) * _CHANGED_FOLLOW
        self._over += (float(made @ made) - self._over) * _CHANGED_FOLLOW
        self._padded[self.block :] = left
        bins = np.fft.rfft(self._padded)
        error = np.stack([bins.real, bins.imag])
        power = error[0] ** 2 + error[1] ** 2
        self._near *= np.float32(_NEAR_STAYS)
        self._near += np.float32(1.0 - _NEAR_STAYS) * power
        near = np.maximum(self._near, np.convolve(power, self._edges, "same"))
        changed = self.changed
        raised = _RAISED * changed**2 if changed > _CHANGED else 0.0
        _learn(
            self._played,
            first,
            self.weights,
            self._variances,
            error,
            near.astype(np.float32),
            self._least,
            _STAYS,
            raised,
        )
        self._keep_within_blocks()
        return left, echo

    def _keep_within_blocks(self) -> None:
        """A partition is no longer than a block: a few of them are brought back to that."""
        count = self.weights.shape[1]
        some = [(self._constrain + j) % count for j in range(_CONSTRAINED)]
        self._constrain = (self._constrain + _CONSTRAINED) % count
        bins = self.weights[0, some] + 1j * self.weights[1, some]
        response = np.fft.irfft(bins, 2 * self.block, axis=1)
        response[:, self.block :] = 0.0
        bins = np.fft.rfft(response, axis=1)
        self.weights[0, some], self.weights[1, some] = bins.real, bins.imag
